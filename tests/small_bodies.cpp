// Small rigs and clips, by themselves: what fuzzes uses them too, and knows no test framework.
#include "machine_support.hpp"
#include "support.hpp"

#include <algorithm>
#include <cmath>

namespace support {

using namespace gait;

Rig chain(int joints) {
    Rig rig;
    rig.name = "chain";
    for (int j = 0; j < joints; ++j) {
        Joint joint;
        joint.name = "joint_" + std::to_string(j);
        joint.parent = j - 1;
        joint.rest.translation = {0, 1, 0};
        rig.joints.push_back(joint);
    }
    return rig;
}

ClipSource clip(const std::string& name, int joints, double seconds, const std::function<Quat(int, double)>& turn,
                double rate) {
    ClipSource source;
    source.name = name;
    source.seconds = seconds;
    const int intervals = std::max(1, int(std::lround(seconds * rate)));
    source.keys = intervals + 1;
    for (int j = 0; j < joints; ++j) {
        source.joints.push_back("joint_" + std::to_string(j));
        JointTracks tracks;
        for (int k = 0; k <= intervals; ++k) {
            tracks.rotation.times.push_back(seconds * k / intervals);
            tracks.rotation.values.push_back(turn(j, double(k) / intervals));
        }
        source.tracks.push_back(std::move(tracks));
    }
    return source;
}

ClipSource held(const std::string& name, int joints, double degrees, double seconds) {
    return clip(name, joints, seconds, [&](int, double) { return axis_angle({1, 0, 0}, degrees); });
}

Assets assets(int joints, const std::vector<ClipSource>& clips) {
    Assets result;
    result.rig = chain(joints);
    for (const ClipSource& source : clips) { result.clips.emplace(source.name, source); }
    return result;
}

Assets machine_assets() {
    const auto turning = [](double degrees) {
        return [degrees](int, double phase) { return axis_angle({1, 0, 0}, degrees * phase); };
    };
    const auto swinging = [](int, double phase) {
        return axis_angle({1, 0, 0}, 25 * std::sin(2 * 3.14159265358979 * phase));
    };
    return assets(2, {held("low", 2, 0), held("high", 2, 30), held("side", 2, 60), clip("spin", 2, 2, turning(120)),
                      clip("swing", 2, 1, swinging), clip("sway", 2, 1.6, swinging), held("marked", 2, 15)});
}

} // namespace support
