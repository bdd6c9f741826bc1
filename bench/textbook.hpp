/// Pose blending as a textbook writes it, in plain good C++: what the library is measured against.
#pragma once

#include "gait/clip.hpp"
#include "gait/rig.hpp"

#include <Eigen/Geometry>

#include <vector>

namespace bench {

struct TextbookPose {
    std::vector<Eigen::Quaternionf> rotations;
    std::vector<Eigen::Vector3f> translations;
};

/// A clip as keys a joint.
struct TextbookClip {
    struct Joint {
        std::vector<float> rotation_times, translation_times;
        std::vector<Eigen::Quaternionf> rotations;
        std::vector<Eigen::Vector3f> translations;
    };
    float seconds = 0;
    std::vector<Joint> joints;
};

[[nodiscard]] TextbookClip textbook_clip(const gait::ClipSource& source);
[[nodiscard]] TextbookPose rest_of(const gait::Rig& rig);

/// Keys found by binary search, rotations by slerp.
[[nodiscard]] TextbookPose sample(const TextbookClip& clip, const TextbookPose& rest, float seconds);

/// Two poses, joint by joint, by slerp.
[[nodiscard]] TextbookPose blend(const TextbookPose& a, const TextbookPose& b, float weight);

/// Matrices in model space times the inverse bind matrices.
[[nodiscard]] std::vector<Eigen::Matrix4f> skinning(const TextbookPose& pose, const gait::Rig& rig);

} // namespace bench
