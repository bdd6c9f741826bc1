#include "textbook.hpp"

#include "gait/eigen.hpp"

#include <algorithm>

namespace bench {

TextbookClip textbook_clip(const gait::ClipSource& source) {
    TextbookClip clip;
    clip.seconds = float(source.seconds);
    for (const gait::JointTracks& tracks : source.tracks) {
        TextbookClip::Joint joint;
        for (std::size_t k = 0; k < tracks.rotation.times.size(); ++k) {
            joint.rotation_times.push_back(float(tracks.rotation.times[k]));
            joint.rotations.push_back(gait::to_eigen(tracks.rotation.values[k]));
        }
        for (std::size_t k = 0; k < tracks.translation.times.size(); ++k) {
            joint.translation_times.push_back(float(tracks.translation.times[k]));
            joint.translations.push_back(gait::to_eigen(tracks.translation.values[k]));
        }
        clip.joints.push_back(std::move(joint));
    }
    return clip;
}

TextbookPose rest_of(const gait::Rig& rig) {
    TextbookPose pose;
    for (const gait::Joint& joint : rig.joints) {
        pose.rotations.push_back(gait::to_eigen(joint.rest.rotation));
        pose.translations.push_back(gait::to_eigen(joint.rest.translation));
    }
    return pose;
}

TextbookPose sample(const TextbookClip& clip, const TextbookPose& rest, float seconds) {
    TextbookPose pose = rest;
    const auto find = [seconds](const std::vector<float>& times, float& fraction) {
        const auto after = std::upper_bound(times.begin(), times.end(), seconds);
        const auto next = std::clamp(std::size_t(after - times.begin()), std::size_t{1}, times.size() - 1);
        fraction = std::clamp((seconds - times[next - 1]) / (times[next] - times[next - 1]), 0.0F, 1.0F);
        return next;
    };
    for (std::size_t j = 0; j < clip.joints.size(); ++j) {
        const TextbookClip::Joint& joint = clip.joints[j];
        float fraction = 0;
        if (joint.rotation_times.size() > 1) {
            const std::size_t next = find(joint.rotation_times, fraction);
            pose.rotations[j] = joint.rotations[next - 1].slerp(fraction, joint.rotations[next]);
        }
        if (joint.translation_times.size() > 1) {
            const std::size_t next = find(joint.translation_times, fraction);
            pose.translations[j] =
                joint.translations[next - 1] + (joint.translations[next] - joint.translations[next - 1]) * fraction;
        }
    }
    return pose;
}

TextbookPose blend(const TextbookPose& a, const TextbookPose& b, float weight) {
    TextbookPose pose;
    pose.rotations.reserve(a.rotations.size());
    pose.translations.reserve(a.translations.size());
    for (std::size_t j = 0; j < a.rotations.size(); ++j) {
        pose.rotations.push_back(a.rotations[j].slerp(weight, b.rotations[j]));
        pose.translations.push_back(a.translations[j] + (b.translations[j] - a.translations[j]) * weight);
    }
    return pose;
}

std::vector<Eigen::Matrix4f> skinning(const TextbookPose& pose, const gait::Rig& rig) {
    std::vector<Eigen::Matrix4f> model(rig.joints.size()), skin(rig.joints.size());
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        Eigen::Matrix4f local = Eigen::Matrix4f::Identity();
        local.topLeftCorner<3, 3>() = pose.rotations[j].toRotationMatrix();
        local.topRightCorner<3, 1>() = pose.translations[j];
        const int parent = rig.joints[j].parent;
        model[j] = parent < 0 ? local : Eigen::Matrix4f(model[std::size_t(parent)] * local);
        skin[j] = model[j] * gait::to_eigen(rig.joints[j].inverse_bind);
    }
    return skin;
}

} // namespace bench
