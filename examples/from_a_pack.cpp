// A game loop by the runtime alone: no document, no glTF, one packed character.
//
//   gait pack demo/lamplighter.gait.yaml --strip -o lamplighter.gaitpack
//   from_a_pack lamplighter.gaitpack
#include <gait/bindings.hpp>
#include <gait/open.hpp>
#include <gait/performer.hpp>
#include <gait/plain_body.hpp>
#include <gait/steering.hpp>

#include <array>
#include <cstdio>
#include <string>
#include <vector>

namespace {

constexpr double frame = 1.0 / 60; // seconds

/// What the player's hands do: until so many seconds the stick stands so.
struct Held {
    double until;
    gait::Stick stick;
};
constexpr std::array<Held, 5> hands{{{1, {0, 0}}, {4, {0, 1}}, {6, {0.7F, 0.7F}}, {8, {0, 0}}, {1e9, {0, -1}}}};

gait::Stick stick_at(double time) {
    std::size_t now = 0;
    while (time >= hands[now].until) { ++now; }
    return hands[now].stick;
}

} // namespace

int main(int argument_count, char** arguments) {
    const gait::OpenedPack pack = gait::open_file(argument_count > 1 ? arguments[1] : "lamplighter.gaitpack");
    if (!pack.character) {
        std::fprintf(stderr, "from_a_pack: %s\n", pack.problem.c_str());
        return 2;
    }
    gait::Performer her(pack.character);
    gait::Bindings bindings(*pack.character);
    int steps = 0;
    for (const char* foot : {"left_down", "right_down"}) {
        bindings.on_mark(foot, [&](const gait::Event& /*event*/) { ++steps; });
    }
    gait::Facing facing;
    gait::BodyMotion asked;
    bindings.number("speed", [&] { return asked.speed; });
    bindings.number("heading", [&] { return asked.heading; });

    gait::PlainBody body; // moved by the clips and, where they do not, at the speed that is asked for
    body.speed = pack.character->number("speed");
    body.heading = pack.character->number("heading");
    gait::GroundPlace place; // where she is on the quay
    std::vector<gait::Matrix4> palette(pack.character->joint_count());
    for (int f = 0; f < 600; ++f) {
        const gait::Stick stick = stick_at(f * frame);
        facing.turn(gait::heading_of(stick, 0), frame);
        asked = gait::motion_of(stick, 0, facing.heading(), 1.4F, asked);
        bindings.advance(her, frame);
        // Her clips carry her where they travel, and elsewhere what she is asked for does; the game turns her.
        gait::Travel moved = body.move(her, frame);
        moved.turn = float(facing.heading() - place.heading);
        place.add(moved);
        her.plant_feet(moved);
        her.skinning_matrices(palette); // and on to the graphics card
        if (f % 60 == 59) {
            std::printf("%4.1f s  %-14s (%5.2f, %5.2f) m, %2d steps\n", her.time(),
                        std::string(her.state_name()).c_str(), place.x, place.z, steps);
        }
    }
    return her.faults().refused_values == 0 ? 0 : 1;
}
