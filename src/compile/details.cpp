#include "compile/details.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <string>

namespace gait::detail {

OrderedRig order_by_details(const std::vector<std::vector<Text>>& details, const Rig& rig, DiagnosticSink& sink) {
    const std::size_t kept = details.size();
    // Of each joint the level it goes with; the children of one that goes do so too.
    std::vector<std::size_t> goes_with(rig.joints.size(), kept);
    std::vector<std::string> names;
    for (const Joint& joint : rig.joints) { names.push_back(joint.name); }
    for (std::size_t level = 0; level < details.size(); ++level) {
        for (const Text& name : details[level]) {
            const auto joint = rig.find(name.value);
            if (!joint) {
                sink.unknown(name.place, "joint", name.value, names, "details");
                continue;
            }
            if (goes_with[std::size_t(*joint)] != kept) {
                sink.error(name.place, "doubled-name",
                           fmt::format("'{}' is left out already, by itself or below another joint", name.value),
                           "details");
                continue;
            }
            std::vector<char> below(rig.joints.size(), 0);
            for (std::size_t j = std::size_t(*joint); j < rig.joints.size(); ++j) {
                const int parent = rig.joints[j].parent;
                below[j] = j == std::size_t(*joint) || (parent >= 0 && below[std::size_t(parent)] != 0) ? 1 : 0;
                if (below[j] != 0 && goes_with[j] == kept) { goes_with[j] = level; }
            }
        }
    }
    std::vector<std::size_t> order(rig.joints.size());
    std::iota(order.begin(), order.end(), std::size_t{});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return goes_with[a] > goes_with[b]; });
    std::vector<int> place_of(order.size());
    for (std::size_t i = 0; i < order.size(); ++i) { place_of[order[i]] = int(i); }
    OrderedRig result;
    result.rig.name = rig.name;
    for (const std::size_t j : order) {
        Joint& joint = result.rig.joints.emplace_back(rig.joints[j]);
        if (joint.parent >= 0) { joint.parent = place_of[std::size_t(joint.parent)]; }
    }
    for (std::size_t level = 0; level < details.size(); ++level) {
        const auto left = std::size_t(
            std::count_if(goes_with.begin(), goes_with.end(), [&](std::size_t goes) { return goes > level; }));
        result.joints_left.push_back(left);
        if (left == 0 && !details[level].empty()) {
            sink.error(details[level].front().place, "wrong-range",
                       "no joint is left to be posed; leave out fingers, hair and cloth first", "details");
            break;
        }
    }
    return result;
}

} // namespace gait::detail
