/// A clip as it is played: evenly sampled, a frame at a time, in the layout of the pose it is summed into.
#pragma once

#include "character/sample_rows.hpp"
#include "character/travel_path.hpp"
#include "gait/api.hpp"
#include "gait/kept.hpp"
#include "math/aligned.hpp"

#include <array>
#include <cstdint>

namespace gait::detail {

/// Three-component values (translations or scales) of the few joints that have any, as differences from the rest pose.
struct SparseRows {
    KeptList<std::uint16_t> joints; ///< rising
    std::uint32_t frames = 0;
    KeptList<float> values;        ///< [frame][joint][x y z 0]; one frame when the values never change
    KeptList<std::uint16_t> moved; ///< a joint each, once a character is compiled: index into its `moved`

    [[nodiscard]] bool constant() const { return frames == 1; }
};

/// A stepped track, kept as keys so that its steps stay where they are. Rotations use four components, others three.
struct StepTrack {
    enum class Target : std::uint8_t { rotation, translation, scale };
    std::uint16_t joint = 0;
    Target target = Target::rotation;
    std::uint16_t moved = 0;               ///< of a translation or scale: as that of `SparseRows`
    KeptList<float> times;                 ///< seconds; the first holds from the clip's start
    KeptList<std::array<float, 4>> values; ///< differences from rest for translation and scale
};

/// A number that comes along with a clip, at even instants from its start to its end.
struct NumberRow {
    std::uint16_t number = 0; ///< index into the character's `number_tracks`
    KeptList<float> values;
};

struct SampledClip {
    KeptText name;
    double seconds = 0;
    bool loops = false;
    std::uint32_t intervals = 0; ///< samples a cycle; `intervals + 1` frames are stored, the last being the end itself
    std::size_t stride = 0;      ///< lanes a row
    SampleRows rotations;        ///< [frame][x y z w][lane]; zero for joints with a stepped rotation
    AlignedFloats odd_signs; ///< [lane] -1 where a quaternion changes its sign each time the loop comes round, else 1;
                             ///< empty where none does
    bool keeps_side = false; ///< no quaternion leaves the side on which clips are summed, so far that sums of clips of
                             ///< which this is true are never opposed (`align_signs`)
    KeptList<StepTrack> steps;
    SparseRows moving_translations, still_translations; ///< changing, and never changing
    SparseRows moving_scales, still_scales;
    TravelPath travel;
    KeptList<NumberRow> numbers;

    [[nodiscard]] const float* frame(std::uint32_t index) const { return rotations.data() + index * 4 * stride; }
    [[nodiscard]] GAIT_API std::size_t bytes() const;
};

/// What a frame asks of a clip, in one place.
struct ClipFrames {
    ClipFrames() = default;
    GAIT_API explicit ClipFrames(const SampledClip& clip);

    const float* rotations = nullptr; ///< [frame][x y z w][lane]
    const float* odd_signs = nullptr; ///< null where no quaternion changes its sign with the loop
    double intervals = 0;
    std::uint32_t last = 0;   ///< the frame with which its last interval begins
    std::uint32_t stride = 0; ///< lanes a row
    std::uint32_t next = 0;   ///< floats from a frame to the one after it; 0 where there is only one
    /// Which of its translations and scales are not stepped and not at rest.
    enum Moves : std::uint8_t { has_moving_translations = 1, has_still_translations = 2, has_scales = 4 };
    std::uint8_t moves = 0;
    bool steps = false;      ///< it has stepped tracks
    bool keeps_side = false; ///< as that of the clip
};

} // namespace gait::detail
