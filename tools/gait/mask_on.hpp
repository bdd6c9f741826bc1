/// A mask of a document, by its name.
#pragma once

#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <optional>
#include <string>
#include <vector>

namespace gait::tool {

/// The weights [joint] of a document's mask on a rig. Nothing, and said, when there is no such mask or it is not sound.
[[nodiscard]] std::optional<std::vector<float>> mask_on(const Document& document, const std::string& name,
                                                        const Rig& rig);

} // namespace gait::tool
