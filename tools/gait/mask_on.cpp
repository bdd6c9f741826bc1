#include "mask_on.hpp"

#include "output.hpp"

#include "compile/mask_weights.hpp"
#include "diagnostics/sink.hpp"
#include "rig/body_parts.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

namespace gait::tool {

std::optional<std::vector<float>> mask_on(const Document& document, const std::string& name, const Rig& rig) {
    std::vector<std::string> names;
    for (const MaskDefinition& mask : document.masks) { names.push_back(mask.name.value); }
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end()) {
        const std::string near = nearest_name(name, names);
        complain(names.empty()  ? fmt::format("no mask '{}'; the document has no masks", name)
                 : near.empty() ? fmt::format("no mask '{}'; there is {}", name, fmt::join(names, ", "))
                                : fmt::format("no mask '{}'; did you mean '{}'?", name, near));
        return std::nullopt;
    }
    detail::DiagnosticSink sink(document.files());
    const auto weights = detail::mask_weights(document.masks, rig, detail::mirror_pairs(rig), sink);
    report(sink.list());
    if (has_errors(sink.list())) { return std::nullopt; }
    const detail::AlignedFloats& own = weights[std::size_t(found - names.begin())];
    return std::vector<float>(own.begin(), own.begin() + std::ptrdiff_t(rig.joints.size()));
}

} // namespace gait::tool
