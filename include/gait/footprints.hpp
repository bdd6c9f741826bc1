/// \file
/// Where a body's feet come down as it goes its way, and how far they slide while they are down.
#pragma once

#include "gait/api.hpp"
#include "gait/ground_place.hpp"
#include "gait/rig.hpp"

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// A stretch of time in which a foot is down.
struct Footprint {
    std::size_t foot = 0; ///< index into `Footprints::feet()`
    double from = 0;      ///< seconds
    double to = 0;
    Vec3 place;       ///< metres in the world: where it came down
    double slide = 0; ///< metres: how far it got from there over the ground, the point that bears it changing from heel
                      ///< to ball counted apart
};

/// Watches the feet of a body frame by frame. A foot is down while its lower point, heel or ball, is within a
/// centimetre of the ground and neither rises nor falls by more than 0.15 m/s; of that time the frames within 0.03 s,
/// or one and a half frames, of either edge belong to the swing.
class GAIT_API Footprints {
public:
    /// Feet are found by name or by shape.
    explicit Footprints(const Rig& rig);
    ~Footprints();
    /// Takes everything over.
    Footprints(Footprints&& other) noexcept;
    Footprints(const Footprints&) = delete;
    Footprints& operator=(const Footprints&) = delete;
    Footprints& operator=(Footprints&&) = delete;

    /// A frame: the pose in model space [one a joint], and where the body stands. Time only goes forward.
    void add(double time, std::span<const Transform> model_pose, const GroundPlace& place);

    /// The names of the feet, left before right.
    [[nodiscard]] const std::vector<std::string>& feet() const;
    /// Those that are over, and those that last still, in order of time.
    [[nodiscard]] std::vector<Footprint> all() const;
    /// The greatest slide of any so far, metres.
    [[nodiscard]] double worst_slide() const;

private:
    struct Watched;
    std::unique_ptr<Watched> watched_;
};

} // namespace gait
