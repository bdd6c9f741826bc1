#include "perform/lay_over.hpp"

#include "math/pose_kernels.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait {
namespace {

/// How a layer counts now.
struct Cover {
    float weight = 0;     ///< of the layer
    float masked = 0;     ///< the part of it that plays inside the mask
    float whole_body = 0; ///< and the part that counts on all joints
    bool adds = false;
    [[nodiscard]] bool shows() const { return weight > 0 && (adds || masked + whole_body > 0); }
};

Cover cover_of(const CharacterData& data, const PerformerBlock& block) {
    const LayerHeader& layer = block.layer();
    const CompiledLayer& own = data.layers[block.layer_index()];
    Cover cover{float(std::clamp(layer.weight.value, 0.0, 1.0)), 1, 0, own.mode == LayerMode::add};
    if (cover.adds || (!own.has_nothing && !own.has_whole_body)) { return cover; }
    const PoseShares shares = pose_shares(data, block, {});
    cover.whole_body = std::clamp(shares.whole_body + shares.folded.whole_body, 0.0F, 1.0F);
    cover.masked = std::clamp(shares.masked + shares.folded.masked, 0.0F, 1 - cover.whole_body);
    return cover;
}

/// The weight of each lane of a window.
void fill_weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window,
                  float* weights) {
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const float mask = own.mask == nothing ? 1.0F : data.masks[own.mask][window.first + lane];
        const float part = cover.masked * mask + cover.whole_body;
        // All of two parts may miss 1 by a rounding.
        weights[lane] = cover.weight * (part > 1 - 1e-6F ? 1.0F : part);
    }
}

void mix_offsets(const CharacterData& data, const float* weights, Window window, PoseRows out, const WindowPose& own) {
    for (std::size_t row = 4; row < data.layout.pose_rows; ++row) {
        float* below = out.first + row * out.stride;
        const float* above = own.rows.data() + row * window_lanes;
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const float mixed = below[lane] + weights[lane] * (above[lane] - below[lane]);
            below[lane] = weights[lane] > 0 ? weights[lane] >= 1 ? above[lane] : mixed : below[lane];
        }
    }
}

PoseRows rows_at(const CharacterData& data, const PerformerBlock& block, Window window) {
    return {block.pose() + window.first, data.layout.lanes};
}

/// On which hemisphere a joint of the layer joins those below: fixed as it begins to show and kept, so that nothing
/// flips while the two turn past half a turn from each other. Where either's quaternion changes its sign at once (being
/// laid bare, say, or covered), so does this. `agree` is the cosine of half the turn between them.
bool is_turned(const PerformerBlock& block, std::size_t joint, float agree) {
    std::uint32_t& word = block.layer_signs()[joint / 32];
    const std::uint32_t bit = 1U << (joint % 32);
    std::int8_t& before = block.agreement()[joint];
    if (block.layer().signs_chosen == 0) {
        word = agree < 0 ? word | bit : word & ~bit;
    } else {
        const float now = (word & bit) != 0 ? -agree : agree;
        constexpr float clearly = 0.2F;
        if (now * before < 0 && std::fabs(now) > clearly && std::abs(int(before)) > int(127 * clearly)) { word ^= bit; }
    }
    const bool turned = (word & bit) != 0;
    before = std::int8_t(std::lround(127 * std::clamp(turned ? -agree : agree, -1.0F, 1.0F)));
    return turned;
}

float agreement(PoseRows below, const WindowPose& above, std::size_t lane) {
    float product = 0;
    for (std::size_t row = 0; row < 4; ++row) {
        product += below.first[row * below.stride + lane] * above.rows[row * window_lanes + lane];
    }
    return product;
}

/// The layer's rotations in the place of those below, each against its parent.
void replace_local(const CharacterData& data, const PerformerBlock& block, const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    LayerHeader& layer = block.layer();
    each_window(block.reach(), [&](Window window) {
        alignas(cache_line) std::array<float, window_lanes> weights, signs; // NOLINT: filled below
        fill_weights(data, own, cover, window, weights.data());
        if (std::all_of(weights.begin(), weights.begin() + std::ptrdiff_t(window.lanes),
                        [](float weight) { return !(weight > 0); })) {
            return;
        }
        WindowPose pose;
        evaluate_window(data, block, {}, window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const std::size_t joint = window.first + lane;
            const bool turned = joint < data.rig.joints.size() && is_turned(block, joint, agreement(out, pose, lane));
            signs[lane] = turned ? -1.0F : 1.0F;
        }
        kernels::lay_over({out.first, out.stride}, {pose.rows.data(), window_lanes}, weights.data(), signs.data(),
                          window.lanes);
        mix_offsets(data, weights.data(), window, out, pose);
    });
    layer.signs_chosen = 1;
}

Quat quat_of(const float* rows, std::size_t stride) {
    return {rows[0], rows[stride], rows[2 * stride], rows[3 * stride]};
}

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const CharacterData& data, const PerformerBlock& block, const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    LayerHeader& layer = block.layer();
    // Of each joint so far, in model space: as it shows, and as the layer by itself has it.
    std::array<Quat, most_model_joints> shown, wanted; // NOLINT: filled joint by joint
    each_window(block.reach(), [&](Window window) {
        alignas(cache_line) std::array<float, window_lanes> weights; // NOLINT: filled below
        fill_weights(data, own, cover, window, weights.data());
        WindowPose pose;
        evaluate_window(data, block, {}, window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const std::size_t joint = window.first + lane;
            if (joint >= data.rig.joints.size()) { break; }
            const int parent = data.parents[joint];
            const Quat above = parent < 0 ? Quat{} : shown[std::size_t(parent)];
            const Quat below = above * quat_of(out.first + lane, out.stride);
            const Quat target =
                (parent < 0 ? Quat{} : wanted[std::size_t(parent)]) * quat_of(pose.rows.data() + lane, window_lanes);
            wanted[joint] = target;
            shown[joint] = below;
            const float weight = weights[lane];
            const bool turned = is_turned(block, joint, dot(below, target));
            if (!(weight > 0)) { continue; }
            const float share = turned ? -weight : weight, rest = 1 - weight;
            shown[joint] = normalized({rest * below.x + share * target.x, rest * below.y + share * target.y,
                                       rest * below.z + share * target.z, rest * below.w + share * target.w});
            const Quat local = normalized(conjugate(above) * shown[joint]);
            const std::array<float, 4> values{local.x, local.y, local.z, local.w};
            for (std::size_t row = 0; row < 4; ++row) { out.first[row * out.stride + lane] = values[row]; }
        }
        mix_offsets(data, weights.data(), window, out, pose);
    });
    layer.signs_chosen = 1;
}

/// The layer's differences on top of what is below.
void add_differences(const CharacterData& data, const PerformerBlock& block, const Cover& cover) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    each_window(block.reach(), [&](Window window) {
        alignas(cache_line) std::array<float, window_lanes> weights; // NOLINT: filled below
        fill_weights(data, own, cover, window, weights.data());
        WindowPose pose;
        evaluate_window(data, block, {}, window, {pose.rows.data(), window_lanes});
        const PoseRows out = rows_at(data, block, window);
        alignas(cache_line) std::array<float, 3 * window_lanes> turn{};
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            Quat difference = quat_of(pose.rows.data() + lane, window_lanes);
            if (difference.w < 0) { difference = -difference; }
            const float sine =
                std::sqrt(difference.x * difference.x + difference.y * difference.y + difference.z * difference.z);
            const float scale = weights[lane] * (sine < 1e-9F ? 2.0F : 2 * std::atan2(sine, difference.w) / sine);
            turn[lane] = difference.x * scale;
            turn[window_lanes + lane] = difference.y * scale;
            turn[2 * window_lanes + lane] = difference.z * scale;
        }
        kernels::turn_by({out.first, out.stride}, {turn.data(), window_lanes}, window.lanes);
        for (std::size_t row = 4; row < data.layout.pose_rows; ++row) {
            const float* rest = data.rest.data() + (row - 4) * data.layout.lanes + window.first;
            for (std::size_t lane = 0; lane < window.lanes; ++lane) {
                out.first[row * out.stride + lane] +=
                    weights[lane] * (pose.rows[row * window_lanes + lane] - rest[lane]);
            }
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
    const Cover cover = cover_of(data, block);
    return double(cover.weight) * double(cover.masked + cover.whole_body);
}

void evaluate_pose(const CharacterData& data, const PerformerBlock& block) {
    std::array<Cover, most_layers> covers;
    std::size_t lowest = 0;
    for (std::size_t l = 1; l < data.layers.size(); ++l) {
        covers[l] = cover_of(data, block.of_layer(l));
        if (covers[l].shows() && hides(data.layers[l], covers[l])) { lowest = l; }
    }
    each_window(data, [&](Window window) {
        evaluate_window(data, block.of_layer(lowest), {}, window, rows_at(data, block, window));
    });
    for (std::size_t l = lowest + 1; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        if (!covers[l].shows()) {
            // As it comes back it finds its hemisphere anew.
            own.layer().signs_chosen = 0;
        } else if (covers[l].adds) {
            add_differences(data, own, covers[l]);
        } else if (data.layers[l].space == LayerSpace::model) {
            replace_in_model(data, own, covers[l]);
        } else {
            replace_local(data, own, covers[l]);
        }
    }
}

} // namespace gait
