#include "acts.hpp"

#include <array>
#include <memory>

namespace lamplighter {
std::vector<Act> leaps(const Skeleton& skeleton) {
    std::vector<Act> all;
    const SkeletonPose air = airborne(skeleton);
    for (const Gait& gait : gaits) {
        if (gait.name == "stroll") { continue; } // from a walk she hops with both feet
        const auto body = std::make_shared<const GaitModel>(skeleton, gait);
        const double off = leap_off(gait);
        for (const std::size_t foot : {std::size_t{0}, std::size_t{1}}) {
            // That foot comes down and pushes her off, at the pace she has; from there on nothing holds her.
            const auto pose = [=](double at) {
                const double u = smooth((at - off) / leap_rises);
                const SkeletonPose going = body->pose((foot == 0 ? 0 : 0.5) + at / gait.seconds);
                SkeletonPose between = going;
                for (std::size_t j = 0; j < going.rotations.size(); ++j) {
                    between.rotations[j] = going.rotations[j].slerp(u, air.rotations[j]);
                }
                between.hips = going.hips + u * (air.hips - going.hips);
                return between;
            };
            all.push_back(
                {"leap_" + std::string(gait.name) + (foot == 0 ? "_left" : "_right"), off + leap_rises, false, pose});
        }
    }
    return all;
}

} // namespace lamplighter
