#include "lamplighter.hpp" // made by pliant_gait_header

#include <gait/gait.hpp>

#include <cstdio>

int main(int, char** arguments) {
    const gait::Loaded loaded = gait::load(arguments[1]);
    if (!loaded.character) { return 1; }
    const Lamplighter names(*loaded.character);
    if (!names.fits()) { return 2; }
    gait::Performer performer(loaded.character);
    performer.set(names.speed, 2);
    performer.set(names.hands, Lamplighter::word(Lamplighter::Hands::lantern));
    performer.advance(1);
    std::printf("%s\n", std::string(performer.state_name()).c_str());
    return performer.is_active(names.states.legs_moving) ? 0 : 1;
}
