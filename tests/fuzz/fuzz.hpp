/// What the fuzz targets share: a small rig with clips, and playing whatever came out of a reader.
#pragma once

#include "gait/gait.hpp"

#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <string>
#include <vector>

namespace fuzz {

inline std::string text(const std::uint8_t* bytes, std::size_t size) {
    return size == 0 ? std::string() : std::string(reinterpret_cast<const char*>(bytes), size);
}

/// A rig of four joints, and clips by the names that the corpus uses.
inline const gait::Assets& assets() {
    static const gait::Assets made = [] {
        gait::Assets result;
        result.rig.emplace().name = "fuzz";
        for (const char* name : {"hips", "spine", "leg_left", "leg_right"}) {
            gait::Joint joint;
            joint.name = name;
            joint.parent = static_cast<int>(result.rig->joints.size()) - 1;
            joint.rest.translation = {0, 1, 0};
            result.rig->joints.push_back(joint);
        }
        for (const char* name : {"stand", "stroll", "trot", "run"}) {
            gait::ClipSource clip;
            clip.name = name;
            clip.seconds = 0.5;
            clip.keys = 2;
            clip.joints = {"spine"};
            clip.tracks.resize(1);
            clip.tracks[0].rotation.times = {0, 0.5};
            clip.tracks[0].rotation.values = {{0, 0, 0, 1}, {0, 0, 0, 1}};
            result.clips.emplace(name, clip);
        }
        return result;
    }();
    return made;
}

/// Stops the fuzzer where a reader neither succeeded nor said why.
inline void require(bool holds) {
    if (!holds) { std::abort(); }
}

/// A few frames; whatever plays must give finite poses.
inline void play(const std::shared_ptr<const gait::Character>& character, gait::CuePlayer* cues = nullptr) {
    gait::Performer performer(character);
    std::vector<gait::Transform> pose(character->joint_count());
    for (int frame = 0; frame < 8; ++frame) {
        const gait::Travel travel = performer.travel();
        require(travel.share >= 0 && travel.share < 1.001F && std::isfinite(travel.move.z) &&
                std::isfinite(travel.turn));
        if (cues != nullptr) { cues->apply(performer, performer.time() + 0.1); }
        performer.advance(0.1);
        performer.pose(pose);
        for (const gait::Transform& joint : pose) {
            const gait::Quat& q = joint.rotation;
            const float length = q.x * q.x + q.y * q.y + q.z * q.z + q.w * q.w;
            require(length > 0.99F && length < 1.01F);
        }
    }
}

} // namespace fuzz
