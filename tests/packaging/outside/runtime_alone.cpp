#include <gait/character.hpp>
#include <gait/crowd.hpp>
#include <gait/performer.hpp>

#include <cstdio>
#include <stdexcept>

int main() {
    gait::advance_all({}, gait::RunInParts());
    try {
        gait::Performer performer(nullptr);
    } catch (const std::invalid_argument& refused) {
        std::printf("%s; %zu instruction sets\n", refused.what(), gait::runnable_targets().size());
        return 0;
    }
    return 1;
}
