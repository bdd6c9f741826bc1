/// Clips that face away from their own rig, or are sunk into the ground.
#pragma once

#include "gait/gltf.hpp"

#include <string>

namespace gait::detail {

/// Turns all clips of a file about +Y and lifts them, where together they face away from where the rig at rest faces,
/// or stand below its ground. What was done, in words; empty for nothing. A clip that turns shows nothing of where it
/// faces, and what `how` says of that stands over what clips show.
std::string bring_clips_home(ImportedFile& file, const BodyReading& how);

/// Turns the keys of a root joint about the origin, and lifts it.
void turn_root(JointTracks& tracks, Quat turn, float lift);

} // namespace gait::detail
