/// How much of a layer shows a motion: inside its mask, and on all joints whatever the mask says.
#pragma once

#include <algorithm>

namespace gait::detail {

/// Two weights. What covers the whole body counts on every joint, also on those inside the mask; both add up.
struct Coverage {
    float masked = 0;     ///< inside the mask
    float whole_body = 0; ///< on all joints

    [[nodiscard]] float total() const { return masked + whole_body; }
    /// On a joint for which the mask has `mask`, 0 to 1.
    [[nodiscard]] float on(float mask) const { return masked * mask + whole_body; }
    /// As weights, which are not negative: what was folded may have covered less than what stays.
    [[nodiscard]] Coverage positive() const { return {std::max(0.0F, masked), std::max(0.0F, whole_body)}; }
    /// Made to fit into a whole, the whole body first.
    [[nodiscard]] Coverage fitted() const {
        const float all_joints = std::clamp(whole_body, 0.0F, 1.0F);
        return {std::clamp(masked, 0.0F, 1 - all_joints), all_joints};
    }

    /// More of the one or of the other.
    void add(bool on_whole_body, float share) { (on_whole_body ? whole_body : masked) += share; }
};

[[nodiscard]] inline Coverage operator+(Coverage a, Coverage b) {
    return {a.masked + b.masked, a.whole_body + b.whole_body};
}
[[nodiscard]] inline Coverage operator-(Coverage a, Coverage b) {
    return {a.masked - b.masked, a.whole_body - b.whole_body};
}
[[nodiscard]] inline Coverage operator*(Coverage a, float by) { return {a.masked * by, a.whole_body * by}; }

} // namespace gait::detail
