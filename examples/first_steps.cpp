// Load, set, advance, read: all a game does with Pliant Gait.
#include <gait/gait.hpp>

#include <cstdio>
#include <vector>

int main(int argument_count, char** arguments) {
    const char* path = argument_count > 1 ? arguments[1] : "demo/lamplighter.gait.yaml";

    // Once: read the document, import its files, compile it all. Every finding comes with its place.
    const gait::Loaded loaded = gait::load(path);
    std::fputs(gait::format(loaded.diagnostics).c_str(), stderr);
    if (!loaded.character) { return 1; }

    // Once for each body in the game. Handles are found by name here, not in the loop.
    gait::Performer lamplighter(loaded.character);
    const gait::NumberParameter speed = loaded.character->number("speed");
    const int hand = loaded.character->rig().find("right_hand").value_or(0);
    std::vector<gait::Transform> pose(loaded.character->joint_count());

    // Every frame: set what the game knows, advance, read the pose.
    for (int frame = 0; frame <= 240; ++frame) {
        const double seconds = frame / 60.0;
        lamplighter.set(speed, seconds < 1 ? 0.0F : seconds < 3 ? 1.4F : 0.0F);
        lamplighter.advance(1.0 / 60);
        lamplighter.model_pose(pose);
        if (frame % 40 == 0) {
            const gait::Vec3 at = pose[std::size_t(hand)].translation;
            std::printf("%.2f s  %-7s her right hand is at (%.2f, %.2f, %.2f) m\n", lamplighter.time(),
                        std::string(lamplighter.state_name()).c_str(), double(at.x), double(at.y), double(at.z));
        }
    }
    return 0;
}
