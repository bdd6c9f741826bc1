/// \file
/// How a layer is put together with those below it.
#pragma once

#include <cstdint>

namespace gait {

/// How a layer joins those below it: in their place, or its difference to a reference laid on top of them.
enum class LayerMode : std::uint8_t { replace, add };

/// Whether a layer turns joints against their parents, or against the body as a whole: in `model` an upper body keeps
/// its pointing, however the hips below it sway.
enum class LayerSpace : std::uint8_t { local, model };

} // namespace gait
