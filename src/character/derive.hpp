/// What follows from the rest of a character's data, and is worked out anew wherever that comes from.
#pragma once

#include "character/character_data.hpp"

namespace gait::detail {

/// The rest pose, parents and orders as frames read them: from the rig, `moved` and `scales`.
GAIT_API void lay_out_rig(CharacterData& data);

/// Where the leaves' numbers are: from the clips, which stay where they are.
GAIT_API void connect_leaves(CharacterData& data);

/// Which of what is computed must be looked at though no value has changed.
GAIT_API void sort_computed(CharacterData& data);

/// Which ways out of each state hang on more than values and signals.
GAIT_API void sort_transitions(CharacterData& data);

/// Which states play what moves the body, and which keep their side.
GAIT_API void note_motions(CharacterData& data);

/// Which layers play what keeps step, and which values the layers' decisions read.
GAIT_API void note_layers(CharacterData& data);

/// Which lines of a performer's block a pose is written to: what no clip moves stays at rest.
GAIT_API void note_pose_lines(CharacterData& data);

/// Which layers have joints that are carried along by such as count more.
GAIT_API void note_carried(CharacterData& data);

/// States share a motion that goes on from the one to the other only where they really are alike.
GAIT_API void keep_true_twins(CharacterData& data);

} // namespace gait::detail
