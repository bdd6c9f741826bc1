/// \file
/// One animation on a rig: as imported (keys) and as played (evenly sampled, ready for the kernels).
#pragma once

#include "gait/api.hpp"
#include "gait/math.hpp"
#include "gait/rig.hpp"

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// How a track goes from key to key; the words and their meaning are glTF's.
enum class Interpolation : std::uint8_t { linear, step, cubic_spline };

/// Keys of one value over time. Times are seconds, rising strictly. With `cubic_spline` each key holds three values in
/// a row: incoming tangent, value, outgoing tangent.
template <typename Value> struct Track {
    Interpolation interpolation = Interpolation::linear;
    std::vector<double> times;
    std::vector<Value> values;

    /// Whether it has no key.
    [[nodiscard]] bool empty() const { return times.empty(); }
};

/// One joint's keys. An empty track rests.
struct JointTracks {
    Track<Quat> rotation;
    Track<Vec3> translation; ///< metres, relative to the parent
    Track<Vec3> scale;
};

/// Keys of a number that is no joint's: a morph target's weight, say.
struct NumberTrack {
    std::string name;
    Track<float> values;
};

/// A clip as it was imported. Its joints are those of the rig it came with.
struct ClipSource {
    std::string name;
    double seconds = 0;              ///< from time zero to the last key
    int keys = 0;                    ///< the greatest number of keys on one track
    std::vector<std::string> joints; ///< names; `tracks` runs beside it
    std::vector<JointTracks> tracks;
    std::vector<NumberTrack> numbers;
};

/// The value of a number track at `seconds`, clamped to its keys.
[[nodiscard]] GAIT_API float number_at(const NumberTrack& track, double seconds);

/// The pose of `source` at `seconds` (clamped to its length) [one a source joint]; joints without a track take `rest`.
[[nodiscard]] GAIT_API std::vector<Transform> pose_at(const ClipSource& source, const std::vector<Transform>& rest,
                                                      double seconds);

/// How far a clip's last frame is from its first.
struct LoopGap {
    double degrees = 0;       ///< the greatest turn between the two, over all joints
    double millimetres = 0;   ///< the greatest move in model space
    std::string turned_joint; ///< where the turn is greatest
    std::string moved_joint;  ///< where the move is greatest
    /// Whether the gap is too small to see: half a degree, five millimetres.
    [[nodiscard]] bool meets() const { return degrees <= 0.5 && millimetres <= 5; }
};

/// Measures the gap between the end and the start of `source`, posed on `rig` (whose joints are matched by name).
[[nodiscard]] GAIT_API LoopGap loop_gap(const ClipSource& source, const Rig& rig);

} // namespace gait
