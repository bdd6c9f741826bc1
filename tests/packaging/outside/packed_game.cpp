#include "lamplighter.hpp" // made by pliant_gait_character, as the pack is

#include <gait/open.hpp>
#include <gait/performer.hpp>

#include <cstdio>

int main(int count, char** arguments) {
    const gait::OpenedPack pack = gait::open_file(count > 1 ? arguments[1] : PLIANT_GAIT_PACK_lamplighter);
    if (!pack.character) {
        std::printf("%s\n", pack.problem.c_str());
        return 1;
    }
    const Lamplighter names(*pack.character);
    if (!names.fits()) { return 2; }
    gait::Performer her(pack.character);
    her.set(names.speed, 2);
    her.advance(1);
    std::printf("%s\n", std::string(her.state_name()).c_str());
    return her.is_active(names.states.legs_moving) ? 0 : 3;
}
