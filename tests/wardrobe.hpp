/// The lamplighter dressed up as other people's rigs and keys are: what a test may put on her.
#pragma once

#include "gait/compile.hpp"
#include "gait/math.hpp"

#include <functional>
#include <map>
#include <string>
#include <vector>

namespace support {

/// Turns by which the joints' own axes are off hers, by name; none: not at all.
using Axes = std::map<std::string, gait::Quat>;

struct Dress {
    const char* what;
    bool exact; ///< the same motion to within a millimetre and half a degree; else to within what its keys leave out
    std::function<void(gait::Assets&, Axes&)> put_on;
};

/// Other axes, another rest pose, helpers; fewer keys.
[[nodiscard]] const std::vector<Dress>& wardrobe();

} // namespace support
