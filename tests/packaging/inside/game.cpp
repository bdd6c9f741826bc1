#include <gait/crowd.hpp>
#include <gait/performer.hpp>

#include <cstdio>

int main() {
    gait::advance_all(std::span<gait::Performer>{}, 0.1);
    std::printf("%zu instruction sets\n", gait::runnable_targets().size());
    return 0;
}
