/// A compiled character: arrays that a frame walks, and the names that only people read.
#pragma once

#include "clip/sampled_clip.hpp"
#include "gait/character.hpp"
#include "machine/expression.hpp"
#include "motion/motion.hpp"
#include "perform/layout.hpp"

#include <vector>

namespace gait {

struct CompiledTransition {
    std::uint16_t target = 0;
    CodeRange when;      ///< empty: always
    bool at_end = false; ///< leaves so early that its fade is done as the motion ends
    double after = 0;    ///< seconds the state must have been active
    double fade = 0;     ///< seconds
    Ease ease = Ease::smooth;
};

struct CompiledState {
    std::uint16_t motion = 0;           ///< index into `motions`
    std::uint16_t first_transition = 0; ///< into `transitions`
    std::uint16_t transition_count = 0;
    bool game_moves = false; ///< the travel of its clips is not used
};

/// A translation or scale component that some clip moves away from rest.
struct MovedComponent {
    std::uint16_t row = 0; ///< of the pose: 4 to 6 translation, 7 to 9 scale
    std::uint16_t joint = 0;
};

struct CharacterData {
    Rig rig;
    AlignedFloats rest; ///< [tx ty tz (sx sy sz)][lane] of the rest pose
    std::vector<MovedComponent> moved;
    std::vector<std::int16_t> parents;      ///< a joint each
    std::vector<std::uint16_t> level_order; ///< see `kernels::LocalPose`
    std::vector<std::uint16_t> done_before; ///< [i]: joints at its head that have no child at or after its i-th
    AlignedFloats inverse_bind;             ///< [joint][16]
    bool travels = false;                   ///< some clip's way was taken out of its pose
    bool scales = false;                    ///< some joint's scale is not 1 in the rest pose or in a clip
    std::vector<SampledClip> clips;
    std::vector<std::string> number_tracks; ///< names of the numbers that come along with clips
    std::vector<ParameterInfo> parameters;
    MotionTable motions;
    std::vector<Instruction> code;
    std::vector<CompiledState> states;
    std::vector<CompiledTransition> transitions;
    std::uint16_t start = 0;
    PerformerLayout layout;

    // For people.
    std::string layer_name;
    std::vector<StateInfo> state_info;
    std::vector<TransitionInfo> transition_info;
    std::vector<ClipInfo> clip_info;

    [[nodiscard]] std::span<const Instruction> instructions(CodeRange range) const {
        return {code.data() + range.first, range.count};
    }
};

} // namespace gait
