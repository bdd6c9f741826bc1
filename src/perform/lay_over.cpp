#include "perform/lay_over.hpp"

#include "math/pose_kernels.hpp"
#include "math/room.hpp"
#include "math/rotations.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait {
namespace {

/// How a layer counts now.
struct Cover {
    float weight;     ///< of the layer
    float masked;     ///< the part of it that plays inside the mask
    float whole_body; ///< and the part that counts on all joints
    bool adds;
    [[nodiscard]] bool shows() const { return weight > 0 && (adds || masked + whole_body > 0); }
};

Cover cover_of(const CharacterData& data, const PerformerBlock& block, const LayerPose& pose) {
    const LayerHeader& layer = block.layer();
    const CompiledLayer& own = data.layers[block.layer_index()];
    Cover cover{float(std::clamp(layer.weight.value, 0.0, 1.0)), 1, 0, own.mode == LayerMode::add};
    if (cover.adds || (!own.has_nothing && !own.has_whole_body)) { return cover; }
    const PoseShares& shares = pose.shares();
    cover.whole_body = std::clamp(shares.whole_body + shares.folded.whole_body, 0.0F, 1.0F);
    cover.masked = std::clamp(shares.masked + shares.folded.masked, 0.0F, 1 - cover.whole_body);
    return cover;
}

/// What a layer counts, a lane each.
class Weights {
public:
    Weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window) {
        const float* mask = own.mask == nothing ? nullptr : data.masks[own.mask].data() + window.first;
        if (mask != nullptr && cover.weight >= 1 && cover.masked >= 1) {
            lanes_ = mask;
            return;
        }
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const float part = cover.masked * (mask == nullptr ? 1.0F : mask[lane]) + cover.whole_body;
            // All of two parts may miss 1 by a rounding.
            own_[lane] = cover.weight * (part > 1 - 1e-6F ? 1.0F : part);
        }
        lanes_ = own_.data();
    }
    Weights(const Weights&) = delete;
    Weights& operator=(const Weights&) = delete;

    [[nodiscard]] const float* data() const { return lanes_; }
    float operator[](std::size_t lane) const { return lanes_[lane]; }

private:
    const float* lanes_;
    alignas(cache_line) std::array<float, window_lanes> own_; // NOLINT: filled where it is used
};

/// Translations and scales; all but those of `moved` are at rest in every layer.
void mix_offsets(const CharacterData& data, const Weights& weights, Window window, PoseRows out,
                 const WindowPose& own) {
    for (const auto& [row, joint] : data.moved) {
        if (joint < window.first || joint >= window.end()) { continue; }
        const std::size_t lane = joint - window.first;
        const float weight = weights[lane];
        float& below = out.first[row * out.stride + lane];
        const float above = own.rows[row * window_lanes + lane];
        if (weight > 0) { below = weight >= 1 ? above : below + weight * (above - below); }
    }
}

PoseRows rows_at(const CharacterData& data, const PerformerBlock& block, Window window) {
    return {block.pose() + window.first, data.layout.lanes};
}

/// The layer's rotations in the place of those below, each against its parent.
void replace_local(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer, const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    each_window(block.reach(), [&](Window window) {
        const Weights weights(data, own, cover, window);
        WindowPose pose;
        layer.evaluate(window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        kernels::lay_over({out.first, out.stride}, {pose.rows.data(), window_lanes}, weights.data(),
                          block.hemispheres(window.first), window.lanes);
        mix_offsets(data, weights, window, out, pose);
    });
}

Quat quat_of(const float* rows, std::size_t stride) {
    return {rows[0], rows[stride], rows[2 * stride], rows[3 * stride]};
}

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer,
                      const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    // Of each joint so far, in model space: as it shows, and as the layer by itself has it.
    struct Turn {
        float x, y, z, w; // without initial values, so that nobody clears room for the largest rig
        explicit operator Quat() const { return {x, y, z, w}; }
    };
    std::array<Turn, most_model_joints> shown, wanted; // NOLINT: filled joint by joint
    const auto plain = [](const Quat& q) { return Turn{q.x, q.y, q.z, q.w}; };
    each_window(block.reach(), [&](Window window) {
        const Weights weights(data, own, cover, window);
        WindowPose pose;
        layer.evaluate(window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const std::size_t joint = window.first + lane;
            if (joint >= data.rig.joints.size()) { break; }
            const int parent = data.parents[joint];
            const Quat above = parent < 0 ? Quat{} : Quat(shown[std::size_t(parent)]);
            const Quat below = above * quat_of(out.first + lane, out.stride);
            const Quat target = (parent < 0 ? Quat{} : Quat(wanted[std::size_t(parent)])) *
                                quat_of(pose.rows.data() + lane, window_lanes);
            wanted[joint] = plain(target);
            shown[joint] = plain(below);
            const float weight = weights[lane];
            const float sign = kernels::remember(block.hemispheres(joint), dot(below, target));
            if (!(weight > 0)) { continue; }
            const Quat mixed = weighted_sum(below, 1 - weight, target, sign * weight);
            shown[joint] = plain(mixed);
            const Quat local = normalized(conjugate(above) * mixed);
            const std::array<float, 4> values{local.x, local.y, local.z, local.w};
            for (std::size_t row = 0; row < 4; ++row) { out.first[row * out.stride + lane] = values[row]; }
        }
        mix_offsets(data, weights, window, out, pose);
    });
}

/// The layer's differences on top of what is below.
void add_differences(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer,
                     const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    each_window(block.reach(), [&](Window window) {
        const Weights weights(data, own, cover, window);
        WindowPose pose;
        layer.evaluate(window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        alignas(cache_line) std::array<float, 3 * window_lanes> turn{};
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            Quat difference = quat_of(pose.rows.data() + lane, window_lanes);
            if (difference.w < 0) { difference = -difference; }
            const Vec3 vector = rotation_vector<float>(difference) * weights[lane];
            turn[lane] = vector.x;
            turn[window_lanes + lane] = vector.y;
            turn[2 * window_lanes + lane] = vector.z;
        }
        kernels::turn_by({out.first, out.stride}, {turn.data(), window_lanes}, window.lanes);
        for (const auto& [row, joint] : data.moved) {
            const std::size_t lane = joint - window.first; // wraps round to a large one before the window
            if (lane >= window.lanes) { continue; }
            const float rest = data.rest[(row - 4U) * data.layout.lanes + joint];
            out.first[row * out.stride + lane] += weights[lane] * (pose.rows[row * window_lanes + lane] - rest);
        }
    });
}

/// Whether nothing shows from below.
bool hides(const CompiledLayer& own, const Cover& cover) {
    const bool everywhere = cover.whole_body >= 1 || (own.mask == nothing && cover.masked + cover.whole_body >= 1);
    return cover.weight >= 1 && !cover.adds && everywhere && own.space == LayerSpace::local;
}

} // namespace

double layer_cover(const CharacterData& data, const PerformerBlock& block) {
    const Cover cover = cover_of(data, block, LayerPose(data, block));
    return double(cover.weight) * double(cover.masked + cover.whole_body);
}

void layer_cover(const CharacterData& data, const PerformerBlock& block, std::span<float> out) {
    const Cover cover = cover_of(data, block, LayerPose(data, block));
    each_window(data, [&](Window window) {
        const Weights weights(data, data.layers[block.layer_index()], cover, window);
        for (std::size_t lane = 0; lane < window.lanes && window.first + lane < out.size(); ++lane) {
            out[window.first + lane] = weights[lane];
        }
    });
}

void evaluate_pose(const CharacterData& data, const PerformerBlock& block) {
    // Layers that a whole one above hides are not evaluated at all.
    Room<LayerPose, most_layers> poses;
    std::array<Cover, most_layers> covers; // NOLINT: filled layer by layer
    std::size_t lowest = 0;
    for (std::size_t l = 1; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        covers[l] = cover_of(data, own, poses.make(l, data, own));
        if (covers[l].shows() && hides(data.layers[l], covers[l])) { lowest = l; }
    }
    if (lowest == 0) { poses.make(0, data, block.of_layer(0)); }
    each_window(data, [&](Window window) { poses[lowest].evaluate(window, rows_at(data, block, window)); });
    for (std::size_t l = lowest + 1; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        LayerHeader& layer = own.layer();
        if (!covers[l].shows()) {
            // As it comes back it finds its hemisphere anew.
            if (layer.shown != 0) { own.forget_hemispheres(); }
            layer.shown = 0;
            continue;
        }
        layer.shown = 1;
        if (covers[l].adds) {
            add_differences(data, own, poses[l], covers[l]);
        } else if (data.layers[l].space == LayerSpace::model) {
            replace_in_model(data, own, poses[l], covers[l]);
        } else {
            replace_local(data, own, poses[l], covers[l]);
        }
    }
}

} // namespace gait
