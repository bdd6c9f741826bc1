/// The body as pages draw it.
#pragma once

#include "files/gltf_mesh.hpp"
#include "gait/load.hpp"

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace gait::stage {

struct DrawnBody {
    std::string bytes;                         ///< joints and skin: see `body` in docs/stage.md
    nlohmann::json materials;                  ///< what its surfaces look like
    std::vector<detail::MeshPicture> pictures; ///< that they wear
};

/// Of a rig without a skin the joints alone.
[[nodiscard]] DrawnBody drawn_body(const Loaded& loaded);

} // namespace gait::stage
