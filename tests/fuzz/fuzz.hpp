/// What the fuzz targets share: a small rig with clips, and playing whatever came out of a reader.
#pragma once

#include "gait/gait.hpp"

#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>
#include <unistd.h>
#include <vector>

namespace fuzz {

inline std::string text(const std::uint8_t* bytes, std::size_t size) {
    return size == 0 ? std::string() : std::string(reinterpret_cast<const char*>(bytes), size);
}

/// A file of these bytes, in memory where there is such a place. It is made anew: to cut one short and write it again
/// waits for the disk.
inline std::filesystem::path file(const std::string& name, const std::uint8_t* bytes, std::size_t size) {
    static const std::filesystem::path* const folder = [] {
        const std::filesystem::path memory = "/dev/shm";
        const auto here = std::filesystem::is_directory(memory) ? memory : std::filesystem::temp_directory_path();
        const auto* made = new std::filesystem::path(here / ("gait-fuzz-" + std::to_string(::getpid())));
        std::filesystem::create_directories(*made);
        return made;
    }();
    static const bool removed_at_the_end = std::atexit([] { std::filesystem::remove_all(*folder); }) == 0;
    (void)removed_at_the_end;
    std::filesystem::remove(*folder / name);
    std::ofstream(*folder / name, std::ios::binary) << text(bytes, size);
    return *folder / name;
}

/// A rig of a trunk and two legs, and clips by the names that the corpus uses.
inline const gait::Assets& assets() {
    static const gait::Assets made = [] {
        gait::Assets result;
        result.rig.emplace().name = "fuzz";
        const auto add = [&](const char* name, int parent, gait::Vec3 place) {
            gait::Joint joint;
            joint.name = name;
            joint.parent = parent;
            joint.rest.translation = place;
            result.rig->joints.push_back(joint);
        };
        add("hips", -1, {0, 1, 0});
        add("spine", 0, {0, 0.3F, 0});
        for (const float side : {1.0F, -1.0F}) {
            const int hip = static_cast<int>(result.rig->joints.size());
            add(side > 0 ? "leg_left" : "leg_right", 0, {0.1F * side, 0, 0});
            add(side > 0 ? "knee_left" : "knee_right", hip, {0, -0.45F, 0.02F});
            add(side > 0 ? "foot_left" : "foot_right", hip + 1, {0, -0.45F, -0.02F});
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

/// Sets everything that can be set to something that changes from frame to frame, and asks for all one-shots.
inline void request_decision(gait::Performer& performer, int frame) {
    const gait::Character& character = performer.character();
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        const gait::ParameterInfo& info = character.parameters()[p];
        const auto index = static_cast<std::uint16_t>(p);
        const int turn = frame + static_cast<int>(p);
        if (info.computed) { continue; }
        switch (info.kind) {
        case gait::ParameterKind::flag:
            performer.set(gait::FlagParameter{{index}}, turn % 3 == 0);
            break;
        case gait::ParameterKind::choice:
            performer.set(gait::ChoiceParameter{{index}}, info.of[static_cast<std::size_t>(turn) % info.of.size()]);
            break;
        case gait::ParameterKind::signal:
            if (turn % 2 == 0) { performer.send(gait::SignalParameter{{index}}); }
            break;
        case gait::ParameterKind::number:
        case gait::ParameterKind::angle:
            performer.set(gait::NumberParameter{{index}}, static_cast<float>(turn % 5) * 1.7F);
            break;
        }
    }
    for (std::size_t s = 0; s < character.states().size(); ++s) {
        const gait::StateInfo& state = character.states()[s];
        if (!character.layers()[state.layer].one_shots || state.nothing) { continue; }
        performer.play_once(gait::OneShotHandle{{static_cast<std::uint16_t>(s)}});
    }
}

/// A few frames; whatever plays must give finite poses.
inline void play(const std::shared_ptr<const gait::Character>& character, gait::CuePlayer* cues = nullptr) {
    gait::Performer performer(character);
    std::vector<gait::Transform> pose(character->joint_count());
    for (int frame = 0; frame < 12; ++frame) {
        const gait::Travel travel = performer.travel();
        require(travel.share >= 0 && travel.share < 1.001F && std::isfinite(travel.move.z) &&
                std::isfinite(travel.turn));
        if (cues != nullptr) {
            cues->apply(performer, performer.time() + 0.1);
        } else if (frame >= 2) {
            request_decision(performer, frame);
        }
        performer.advance(0.1);
        performer.plant_feet(travel);
        performer.pose(pose);
        for (const gait::Transform& joint : pose) {
            const gait::Quat& q = joint.rotation;
            const float length = q.x * q.x + q.y * q.y + q.z * q.z + q.w * q.w;
            require(length > 0.99F && length < 1.01F);
        }
    }
}

} // namespace fuzz
