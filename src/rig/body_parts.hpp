/// Which joints are the hips and the feet, and which lie opposite each other: by their names, and by shape where names
/// do not tell.
#pragma once

#include "gait/api.hpp"
#include "gait/rig.hpp"

#include <string>
#include <utility>
#include <vector>

namespace gait::detail {

/// The words of a name, in lower case: `UpperLegLeft01` becomes upper, leg, left, 01.
[[nodiscard]] GAIT_API std::vector<std::string> words_of(const std::string& name);

enum class Side { middle, left, right };

/// What a name says of its side, and the name without that: `FootLeft`, `foot_l`, `l.foot` and `foot_left` are all a
/// left `foot`.
struct SidedName {
    Side side = Side::middle;
    std::string stem; ///< in lower case, words joined by `_`
};
[[nodiscard]] GAIT_API SidedName sided_name(const std::string& name);

/// Pairs of joints (left, right) that mirror each other by name.
[[nodiscard]] GAIT_API std::vector<std::pair<int, int>> mirror_pairs(const Rig& rig);

struct Foot {
    Side side = Side::middle;
    int ankle = -1;
    int toes = -1; ///< the ankle's child farthest ahead; the ankle where it has none
};

/// -1 where nothing stands for them.
struct BodyParts {
    int hips = -1;
    std::vector<Foot> feet; ///< left before right
};
[[nodiscard]] GAIT_API BodyParts body_parts(const Rig& rig);

} // namespace gait::detail
