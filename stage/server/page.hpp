/// The page as it is carried inside the library.
#pragma once

#include <string>
#include <string_view>

namespace gait::stage {

struct PagePart {
    std::string_view name; ///< as it is asked for
    const char* type;      ///< its media type
    std::string_view bytes;
};

/// A part by name; null where there is none.
[[nodiscard]] const PagePart* page_part(std::string_view name);

} // namespace gait::stage
