#include "wardrobe.hpp"

#include <algorithm>
#include <cmath>
#include <random>

using namespace gait;

namespace support {
namespace {

Quat random_turn(std::mt19937& random) {
    std::uniform_real_distribution<float> unit(-1, 1);
    return axis_angle({unit(random), unit(random), unit(random)}, 180 * double(unit(random)));
}

/// Every joint's axes lie as some other tool lays them.
void turn_axes(Assets& assets, Axes& axes) {
    std::mt19937 random(11);
    std::vector<Quat> own;
    Rig& rig = *assets.rig;
    for (const Joint& joint : rig.joints) {
        own.push_back(random_turn(random));
        axes[joint.name] = own.back();
    }
    const auto above = [&](std::size_t j) {
        const int parent = rig.joints[j].parent;
        return parent < 0 ? Quat{} : own[std::size_t(parent)];
    };
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        Transform& rest = rig.joints[j].rest;
        rest.rotation = conjugate(above(j)) * rest.rotation * own[j];
        rest.translation = rotate(conjugate(above(j)), rest.translation);
    }
    for (auto& [name, clip] : assets.clips) {
        for (std::size_t t = 0; t < clip.joints.size(); ++t) {
            const auto j = std::size_t(rig.find(clip.joints[t]).value());
            for (Quat& q : clip.tracks[t].rotation.values) { q = conjugate(above(j)) * q * own[j]; }
            for (Vec3& v : clip.tracks[t].translation.values) { v = rotate(conjugate(above(j)), v); }
        }
    }
}

/// She rests with her arms hanging and her head bowed; whatever rested in a clip is keyed as it was.
void rest_otherwise(Assets& assets, Axes&) {
    const std::map<std::string, Quat> turns{{"left_upper_arm", axis_angle({0, 0, 1}, -55)},
                                            {"right_upper_arm", axis_angle({0, 0, 1}, 55)},
                                            {"left_forearm", axis_angle({0, 1, 0}, 30)},
                                            {"head", axis_angle({1, 0, 0}, 20)},
                                            {"chest", axis_angle({0, 1, 0}, 10)}};
    for (const auto& [name, turn] : turns) {
        const auto found = assets.rig->find(name);
        if (!found) { continue; }
        Transform& rest = assets.rig->joints[std::size_t(*found)].rest;
        for (auto& [clip_name, clip] : assets.clips) {
            const auto at = std::find(clip.joints.begin(), clip.joints.end(), name);
            if (at == clip.joints.end()) {
                clip.joints.push_back(name);
                clip.tracks.emplace_back();
                clip.tracks.back().rotation = {Interpolation::linear, {0}, {rest.rotation}};
            } else if (JointTracks& tracks = clip.tracks[std::size_t(at - clip.joints.begin())];
                       tracks.rotation.empty()) {
                tracks.rotation = {Interpolation::linear, {0}, {rest.rotation}};
            }
        }
        rest.rotation = turn * rest.rotation;
    }
}

/// Twists along the limbs, a helper between hips and thigh, targets on the ground: nothing of which moves.
void add_helpers(Assets& assets, Axes&) {
    Rig rig = *assets.rig;
    const auto insert_above = [&](const std::string& name, const std::string& helper) {
        const auto at = std::size_t(rig.find(name).value());
        for (Joint& joint : rig.joints) { joint.parent += joint.parent >= int(at) ? 1 : 0; }
        Joint made;
        made.name = helper;
        made.parent = rig.joints[at].parent;
        rig.joints.insert(rig.joints.begin() + std::ptrdiff_t(at), made);
        rig.joints[at + 1].parent = int(at);
    };
    insert_above("left_upper_leg", "left_upper_leg_group");
    insert_above("right_upper_leg", "right_upper_leg_group");
    insert_above("neck", "neck_group");
    const auto add = [&](const std::string& name, int parent, Vec3 place) {
        Joint made;
        made.name = name;
        made.parent = parent;
        made.rest.translation = place;
        rig.joints.push_back(made);
    };
    for (const char* side : {"left", "right"}) {
        for (const char* limb : {"upper_arm", "forearm", "upper_leg", "lower_leg"}) {
            const auto joint = rig.find(std::string(side) + "_" + limb);
            if (joint) { add(std::string(side) + "_" + limb + "_twist", *joint, {0, -0.1F, 0}); }
        }
        add(std::string(side) + "_foot_target", 0, {side[0] == 'l' ? 0.1F : -0.1F, -0.95F, 0});
        add(std::string(side) + "_hand_target", -1, {side[0] == 'l' ? 0.5F : -0.5F, 1.2F, 0.4F});
    }
    add("look_target", -1, {0, 1.5F, 3});
    assets.rig = rig;
}

template <typename Value>
void thin(Track<Value>& track, const std::function<bool(const Value&, const Value&, const Value&, double)>& straight) {
    if (track.interpolation != Interpolation::linear || track.times.size() < 3) { return; }
    Track<Value> kept{track.interpolation, {track.times.front()}, {track.values.front()}};
    std::size_t last = 0;
    for (std::size_t k = 2; k < track.times.size(); ++k) {
        const double span = track.times[k] - track.times[last];
        bool fits = true;
        for (std::size_t i = last + 1; i < k && fits; ++i) {
            fits = straight(track.values[last], track.values[k], track.values[i],
                            (track.times[i] - track.times[last]) / span);
        }
        if (fits) { continue; }
        last = k - 1;
        kept.times.push_back(track.times[last]);
        kept.values.push_back(track.values[last]);
    }
    kept.times.push_back(track.times.back());
    kept.values.push_back(track.values.back());
    track = std::move(kept);
}

/// Keys that a straight line passes within a tenth of a degree and a fifth of a millimetre are gone.
void thin_keys(Assets& assets, Axes&) {
    for (auto& [name, clip] : assets.clips) {
        for (JointTracks& tracks : clip.tracks) {
            thin<Quat>(tracks.rotation, [](const Quat& a, const Quat& b, const Quat& at, double part) {
                return degrees_between(slerp(a, b, part), at) < 0.1;
            });
            thin<Vec3>(tracks.translation, [](const Vec3& a, const Vec3& b, const Vec3& at, double part) {
                return length(a + (b - a) * float(part) - at) < 2e-4F;
            });
        }
    }
}

/// As many keys a second as another studio has frames, and the last one where it falls.
std::function<void(Assets&, Axes&)> keyed_at(double rate) {
    return [rate](Assets& assets, Axes&) {
        const auto rest = rest_pose(*assets.rig);
        for (auto& [name, clip] : assets.clips) {
            const int keys = std::max(2, int(std::lround(clip.seconds * rate)) + 1);
            ClipSource made = clip;
            for (JointTracks& tracks : made.tracks) {
                tracks.rotation = {};
                tracks.translation = {};
            }
            for (int k = 0; k < keys; ++k) {
                const double at = clip.seconds * k / (keys - 1);
                const std::vector<Transform> poses = pose_at(clip, rest, at);
                for (std::size_t t = 0; t < clip.joints.size(); ++t) {
                    const Transform& pose = poses[t];
                    made.tracks[t].rotation.times.push_back(at);
                    made.tracks[t].rotation.values.push_back(pose.rotation);
                    made.tracks[t].translation.times.push_back(at);
                    made.tracks[t].translation.values.push_back(pose.translation);
                }
            }
            made.keys = keys;
            clip = std::move(made);
        }
    };
}

} // namespace

const std::vector<Dress>& wardrobe() {
    static const std::vector<Dress> all{{"other axes", true, turn_axes},
                                        {"another rest pose", true, rest_otherwise},
                                        {"helpers, twists and targets", true, add_helpers},
                                        {"thinned keys", false, thin_keys},
                                        {"24 keys a second", false, keyed_at(24)},
                                        {"25 keys a second", false, keyed_at(25)},
                                        {"30 keys a second", false, keyed_at(30)}};
    return all;
}

} // namespace support
