#include "perform/blend_layers.hpp"

#include "math/pose_kernels.hpp"
#include "math/rotations.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait::detail {
namespace {

/// How a layer counts now.
struct Cover {
    float weight;     ///< of the layer
    Coverage covered; ///< the part of it that plays something
    bool adds;
    [[nodiscard]] bool shows() const { return weight > 0 && (adds || covered.total() > 0); }
};

/// That of a layer that plays inside the mask alone, and nothing beside it.
Cover whole_cover(const CompiledLayer& own, const LayerHeader& layer) {
    return {float(std::clamp(layer.weight.value, 0.0, 1.0)), {1, 0}, own.mode == LayerMode::add};
}

Cover cover_of(const CompiledLayer& own, const LayerPose& pose) {
    Cover cover = whole_cover(own, pose.block().layer());
    const PoseShares& shares = pose.shares();
    if (cover.adds || (shares.plain && shares.covered.masked == 1)) {
        return cover;
    } // NOLINT: they have initial values
    cover.covered = (shares.covered + shares.folded).fitted();
    return cover;
}

/// What a layer counts, a lane each; `room` is for as many numbers. The mask itself where the layer counts in full.
const float* lane_weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window,
                          float* room) {
    const float* mask = own.mask == no_index ? nullptr : data.masks[own.mask].data() + window.first;
    if (mask != nullptr && cover.weight >= 1 && cover.covered.masked >= 1) { return mask; }
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const float part = cover.covered.on(mask == nullptr ? 1.0F : mask[lane]);
        // All of two parts may miss 1 by a rounding.
        room[lane] = cover.weight * (part > 1 - 1e-6F ? 1.0F : part);
    }
    return room;
}

/// The same, with its own room.
class Weights {
public:
    Weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window)
        : lanes_(lane_weights(data, own, cover, window, own_.data())) {}
    Weights(const Weights&) = delete;
    Weights& operator=(const Weights&) = delete;

    [[nodiscard]] const float* data() const { return lanes_; }
    float operator[](std::size_t lane) const { return lanes_[lane]; }

private:
    alignas(cache_line) std::array<float, window_lanes> own_; // NOLINT: filled where it is used
    const float* lanes_;
};

/// Translations and scales; all but those of `moved` are at rest in every layer. `own`: those of the layer.
void mix_moved(const CharacterData& data, const float* weights, Window window, PoseRows out, const MovedValues& own) {
    const auto moved = data.moved_in(window);
    for (std::size_t m = 0; m < moved.size(); ++m) {
        const std::size_t lane = moved[m].joint - window.first;
        const float weight = weights[lane];
        if (!(weight > 0)) { continue; }
        float* below = out.first + moved[m].row * out.stride + lane;
        for (std::size_t axis = 0; axis < 3; ++axis, below += out.stride) {
            *below = weight >= 1 ? own.at[m][axis] : *below + weight * (own.at[m][axis] - *below);
        }
    }
}

/// Mixes the translations and scales of a layer's whole pose.
void mix_moved(const CharacterData& data, const Weights& weights, Window window, PoseRows out, const WindowPose& own) {
    MovedValues values;
    const auto moved = data.moved_in(window);
    for (std::size_t m = 0; m < moved.size(); ++m) {
        for (std::size_t axis = 0; axis < 3; ++axis) {
            values.at[m][axis] = own.rows[(moved[m].row + axis) * window_lanes + moved[m].joint - window.first];
        }
    }
    mix_moved(data, weights.data(), window, out, values);
}

/// The lanes that are in both.
Window common(Window a, Window b) {
    const std::size_t first = std::max(a.first, b.first), end = std::min(a.end(), b.end());
    return {first, end > first ? end - first : 0};
}

PoseRows rows_at(const CharacterData& data, const PerformerBlock& block, Window window) {
    return {block.pose() + window.first, data.layout.lanes};
}

/// Window by window: calls `blend(window, weights, pose, out)` with what the layer weighs on each lane, its own pose,
/// and the rows of the pose below it, in which the result belongs.
template <typename Blend>
void each_evaluated_window(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer,
                           const Cover& cover, Blend blend) {
    const CompiledLayer& compiled = data.layers[block.layer_index()];
    each_window(block.reach(), [&](Window window) {
        const Weights weights(data, compiled, cover, window);
        WindowPose pose;
        layer.evaluate(window, {pose.rows.data(), window_lanes});
        blend(window, weights, pose, rows_at(data, block, window));
    });
}

/// The layer's rotations in the place of those below, each against its parent.
void replace_local(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer, const Cover& cover) {
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
        kernels::blend_rotations({out.first, out.stride}, {pose.rows.data(), window_lanes}, weights.data(),
                                 block.hemispheres(window.first), window.lanes);
        mix_moved(data, weights, window, out, pose);
    };
    each_evaluated_window(data, block, layer, cover, blend);
}

Quat quat_of(const float* rows, std::size_t stride) {
    return {rows[0], rows[stride], rows[2 * stride], rows[3 * stride]};
}

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer,
                      const Cover& cover) {
    // Of each joint so far, in model space: as it shows, and as the layer by itself has it.
    struct Turn {
        float x, y, z, w; // without initial values: an array for the largest rig need not be cleared
        explicit operator Quat() const { return {x, y, z, w}; }
    };
    std::array<Turn, most_model_joints> shown, wanted; // NOLINT: filled joint by joint
    const auto plain = [](const Quat& q) { return Turn{q.x, q.y, q.z, q.w}; };
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
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
        mix_moved(data, weights, window, out, pose);
    };
    each_evaluated_window(data, block, layer, cover, blend);
}

/// The layer's differences on top of what is below.
void add_differences(const CharacterData& data, const PerformerBlock& block, const LayerPose& layer,
                     const Cover& cover) {
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
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
        for (const MovedJoint& moved : data.moved_in(window)) {
            const std::size_t lane = moved.joint - window.first;
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const std::size_t row = moved.row + axis;
                const float off = pose.rows[row * window_lanes + lane] - moved.rest[axis];
                out.first[row * out.stride + lane] += weights[lane] * off;
            }
        }
    };
    each_evaluated_window(data, block, layer, cover, blend);
}

/// Whether nothing shows from below a layer. What can be told without its shares is asked first.
bool hides(const CharacterData& data, const PerformerBlock& block) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    if (!own.may_hide || block.layer().weight.value < 1) { return false; }
    const Cover cover = cover_of(own, LayerPose(data, block));
    return cover.covered.whole_body >= 1 || (own.mask == no_index && cover.covered.total() >= 1);
}

} // namespace

double layer_cover(const CharacterData& data, const PerformerBlock& block) {
    const Cover cover = cover_of(data.layers[block.layer_index()], LayerPose(data, block));
    return double(cover.weight) * double(cover.covered.total());
}

void layer_cover(const CharacterData& data, const PerformerBlock& block, std::span<float> out) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    const Cover cover = cover_of(own, LayerPose(data, block));
    each_window(data, [&](Window window) {
        const Weights weights(data, own, cover, window);
        for (std::size_t lane = 0; lane < window.lanes && window.first + lane < out.size(); ++lane) {
            out[window.first + lane] = weights[lane];
        }
    });
}

namespace {

/// The lowest layer that is looked at: what a whole layer hides is not.
std::size_t lowest_shown(const CharacterData& data, const PerformerBlock& block) {
    for (std::size_t l = data.layers.size(); l-- > 1;) {
        if (hides(data, block.of_layer(l))) { return l; }
    }
    return 0;
}

/// Notes whether a layer that is not the lowest of all shows now.
bool note_shown(const PerformerBlock& block, bool shows) {
    std::uint8_t& shown = block.layer().shown;
    // As it comes back it finds its hemisphere anew.
    if (!shows && shown != 0) { block.forget_hemispheres(); }
    shown = shows ? 1 : 0;
    return shows;
}

/// Whether a layer is blended in one pass with those below it, or does not show at all.
bool joins(const CompiledLayer& own, const LayerHeader& layer) {
    return (own.joins && layer.offset_active == 0) || !(layer.weight.value > 0);
}

/// Writes down what of a layer lies over those below it in a window, if it shows.
void write_over(const CharacterData& data, const CompiledLayer& own, const PerformerBlock& block, Window window,
                WindowProgram& program, MovedValues& moved) {
    if (!(block.layer().weight.value > 0)) {
        note_shown(block, false);
        return;
    }
    const Window part = common(window, block.reach());
    const auto lay = [&](const Cover& cover, auto write) {
        if (!note_shown(block, cover.shows()) || part.lanes == 0) { return; }
        program.begin(part);
        const float* weights = lane_weights(data, own, cover, part, program.lane_numbers());
        program.cover(weights, block.hemispheres(part.first));
        write(own.moves ? &moved : nullptr);
        if (own.moves) { mix_moved(data, weights, part, rows_at(data, block, part), moved); }
    };
    if (const Instance* only = only_motion(data, block.layer())) {
        lay(whole_cover(own, block.layer()),
            [&](MovedValues* values) { write_only(data, block, *only, program, values); });
    } else {
        const LayerPose pose(data, block);
        lay(cover_of(own, pose), [&](MovedValues* values) { pose.write(program, values); });
    }
}

/// Blends the layers from `first` on in one pass, as far as they join what is below them. The one after the last.
std::size_t blend_together(const CharacterData& data, const PerformerBlock& block, std::size_t first) {
    std::size_t l = first;
    each_window(data, [&](Window window) {
        const PoseRows out = rows_at(data, block, window);
        WindowProgram program(window, out);
        MovedValues moved;
        l = first;
        if (l == 0) {
            program.begin(window);
            const PerformerBlock lowest = block.of_layer(l++);
            if (const Instance* only = only_motion(data, lowest.layer())) {
                write_only(data, lowest, *only, program, &moved);
            } else {
                LayerPose(data, lowest).write(program, &moved);
            }
            show_moved(data, window, moved, out);
        }
        for (auto own = data.layers.begin() + std::ptrdiff_t(l); own != data.layers.end(); ++own, ++l) {
            const PerformerBlock over = block.of_layer(l);
            if (!joins(*own, over.layer())) { break; }
            write_over(data, *own, over, window, program, moved);
        }
        program.run();
    });
    return l;
}

/// A layer by itself, over those below it if there are any. Apart from what most frames do, so that its scratch poses
/// are not in between.
[[gnu::noinline]] void blend_layer_alone(const CharacterData& data, const PerformerBlock& block) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    const LayerPose pose(data, block);
    if (block.layer_index() == 0) {
        return each_window(data, [&](Window window) { pose.evaluate(window, rows_at(data, block, window)); });
    }
    const Cover cover = cover_of(own, pose);
    if (!note_shown(block, cover.shows())) { return; }
    if (cover.adds) {
        add_differences(data, block, pose, cover);
    } else if (own.space == LayerSpace::model) {
        replace_in_model(data, block, pose, cover);
    } else {
        replace_local(data, block, pose, cover);
    }
}

} // namespace

void evaluate_pose(const CharacterData& data, const PerformerBlock& block) {
    const std::size_t count = data.layers.size();
    for (std::size_t l = data.some_layer_hides ? lowest_shown(data, block) : 0; l < count;) {
        const PerformerBlock next = block.of_layer(l);
        if (joins(data.layers[l], next.layer())) {
            l = blend_together(data, block, l);
        } else {
            blend_layer_alone(data, next);
            ++l;
        }
    }
}

} // namespace gait::detail
