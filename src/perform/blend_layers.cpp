#include "perform/blend_layers.hpp"

#include "math/compiler.hpp"
#include "math/pose_kernels.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <span>

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
    // What was folded may take from the cover.
    const bool all_of_it = shares.plain && shares.covered.masked == 1 && shares.folded.masked == 0;
    if (cover.adds || all_of_it) { return cover; } // NOLINT: they have initial values
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

/// A layer of a performer whose pose is made.
struct PosedLayer {
    const CharacterData& data;
    PerformerBlock block; ///< seen as the layer's own
    Window lanes;         ///< of its reach that are asked for
};

/// Window by window: calls `blend(window, weights, pose, out)` with what the layer weighs on each lane, its own pose,
/// and the rows of the pose below it, in which the result belongs.
template <typename Blend>
void each_evaluated_window(const PosedLayer& posed, const LayerPose& layer, const Cover& cover, Blend blend) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    const CompiledLayer& compiled = data.layers[block.layer_index()];
    each_window(posed.lanes, [&](Window window) {
        const Weights weights(data, compiled, cover, window);
        WindowPose pose;
        layer.evaluate(window, {pose.rows.data(), window_lanes});
        blend(window, weights, pose, rows_at(data, block, window));
    });
}

Quat quat_of(const float* rows, std::size_t stride) {
    return {rows[0], rows[stride], rows[2 * stride], rows[3 * stride]};
}

void put_quat(const Quat& q, float* rows, std::size_t stride) {
    const std::array<float, 4> values{q.x, q.y, q.z, q.w};
    for (std::size_t row = 0; row < 4; ++row) { rows[row * stride] = values[row]; }
}

Quat as_turn(Vec3 vector) { return axis_angle(vector, double(length(vector)) * degrees_per_radian); }

/// Whether some joint of a layer lies on the far side of what is below it, while both are seen.
bool has_far_sides(const PerformerBlock& block, Window lanes) {
    return std::memchr(block.hemispheres(lanes.first).agreement, 0xFF, lanes.lanes) != nullptr;
}

/// Lays rotations over those below one by one, and changes a side that has become the far one: what that changes is put
/// into a turn that decays.
class SideChanger {
public:
    explicit SideChanger(const PerformerBlock& block)
        : block_(block), turns_(block.side_turns()), active_(block.layer().turns_sides != 0) {}

    /// `mix(sign)` is what shows with the upper rotation on that side. `product`: of the two; `weight`: of the upper
    /// one.
    template <typename Mix> Quat lay(std::size_t joint, float product, float weight, Mix mix) {
        const kernels::Hemispheres sides = block_.hemispheres(joint);
        const float sign = kernels::remember(sides, product, weight);
        Quat shown = mix(sign);
        if (*sides.turned < 0) { shown = -shown; }
        SideTurn& turn = turns_[joint - block_.reach().first];
        const Quat now = active_ && !turn.is_over() ? as_turn(left_of(turn)) * shown : shown;
        if (*sides.agreement >= 0) { return now; }
        *sides.sign = std::int8_t(-sign);
        *sides.agreement = 1;
        // On the side of what showed before, so that layers above see no change of sign.
        const Quat other = mix(-sign), changed = on_side_of(now, other);
        *sides.turned = std::int8_t(dot(changed, other) < 0 ? -1 : 1);
        Quat off = now * conjugate(changed);
        if (off.w < 0) { off = -off; }
        store(turn, rotation_vector<double>(off), weight);
        block_.layer().turns_sides = 1;
        return as_turn(left_of(turn)) * changed;
    }
    /// By how much a joint of this weight takes those below it along: while its change of side decays, by as much as
    /// when that began.
    [[nodiscard]] float carries(std::size_t joint, float weight) const {
        const SideTurn& turn = turns_[joint - block_.reach().first];
        return turn.is_over() ? weight : std::max(weight, part_left(turn) * float(turn.weight) / 32767);
    }
    /// What still decays where the layer does not count.
    [[nodiscard]] Quat without(std::size_t joint, const Quat& below) const {
        const SideTurn& turn = turns_[joint - block_.reach().first];
        return active_ && !turn.is_over() ? as_turn(left_of(turn)) * below : below;
    }

private:
    static void store(SideTurn& turn, Vec3 vector, float weight) {
        const std::array<float, 3> values{vector.x, vector.y, vector.z};
        for (std::size_t axis = 0; axis < 3; ++axis) {
            turn.vector[axis] =
                std::int16_t(std::lround(std::clamp(values[axis] / SideTurn::unit, -32767.0F, 32767.0F)));
        }
        turn.weight = std::int16_t(std::lround(weight * 32767));
        turn.left = SideTurn::seconds;
    }
    static float part_left(const SideTurn& turn) {
        const auto seconds = double(SideTurn::seconds);
        return float(decayed({1, 0}, seconds, seconds - double(turn.left)));
    }
    static Vec3 left_of(const SideTurn& turn) {
        const float part = part_left(turn) * SideTurn::unit;
        return {part * float(turn.vector[0]), part * float(turn.vector[1]), part * float(turn.vector[2])};
    }

    const PerformerBlock& block_;
    std::span<SideTurn> turns_;
    bool active_;
};

/// What shows of two rotations; the lower one where they cancel out.
Quat mixed_by(const Quat& below, const Quat& above, float weight) {
    if (weight >= 1) { return above; }
    const Quat sum{below.x + weight * (above.x - below.x), below.y + weight * (above.y - below.y),
                   below.z + weight * (above.z - below.z), below.w + weight * (above.w - below.w)};
    return dot(sum, sum) < 1e-12F ? below : normalized(sum);
}

/// The layer's rotations in the place of those below, each against its parent.
void replace_local(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    SideChanger sides(block);
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
        if (block.layer().turns_sides == 0) {
            kernels::blend_rotations({out.first, out.stride}, {pose.rows.data(), window_lanes}, weights.data(),
                                     block.hemispheres(window.first), window.lanes);
        } else {
            for (std::size_t lane = 0; lane < window.lanes; ++lane) {
                const Quat below = quat_of(out.first + lane, out.stride), above = quat_at(pose, lane);
                const float weight = weights[lane];
                const auto mix = [&](float sign) {
                    return weight > 0 ? mixed_by(below, sign < 0 ? -above : above, weight) : below;
                };
                put_quat(sides.lay(window.first + lane, dot(below, above), weight, mix), out.first + lane, out.stride);
            }
        }
        mix_moved(data, weights, window, out, pose);
    };
    each_evaluated_window(posed, layer, cover, blend);
}

/// A rotation without initial values.
struct Turn {
    float x, y, z, w;
    Turn() = default; // NOLINT
    explicit Turn(const Quat& q) : x(q.x), y(q.y), z(q.z), w(q.w) {}
    explicit operator Quat() const { return {x, y, z, w}; }
};

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    // Of each joint so far, in model space.
    struct Turned {
        Turn shown, wanted, below; ///< with the layer; as the layer by itself has it; without the layer
        float greatest;            ///< by which it and those above it take along what is below them
    };
    std::array<Turned, most_model_joints> done; // NOLINT: filled joint by joint; for the largest rig nothing is cleared
    SideChanger sides(block);
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const std::size_t joint = window.first + lane;
            if (joint >= data.rig.joints.size()) { break; }
            const int parent = data.parents[joint];
            const Turned* const above = parent < 0 ? nullptr : &done[std::size_t(parent)];
            const auto under = [&](Turn Turned::*which) { return above == nullptr ? Quat{} : Quat(above->*which); };
            const Quat own = quat_of(out.first + lane, out.stride);
            const Quat alone = under(&Turned::below) * own, target = under(&Turned::wanted) * quat_at(pose, lane);
            const float weight = weights[lane], carried_by = above == nullptr ? 0 : above->greatest;
            // A joint that counts less than one above it is carried along by that, wholly where it does not count.
            Quat below = alone;
            if (!(weight > 0)) {
                below = under(&Turned::shown) * own;
            } else if (weight < carried_by) {
                const Quat carry = under(&Turned::shown) * conjugate(under(&Turned::below));
                below = slerp({}, carry, double(1 - weight / carried_by)) * alone;
            }
            const auto mix = [&](float sign) {
                return weight > 0 ? mixed_by(below, sign < 0 ? -target : target, weight) : below;
            };
            const Quat mixed = sides.lay(joint, dot(below, target), weight, mix);
            done[joint] = {Turn(mixed), Turn(target), Turn(alone), std::max(sides.carries(joint, weight), carried_by)};
            if (!(weight > 0) && block.layer().turns_sides == 0) { continue; }
            const Quat local = normalized(conjugate(under(&Turned::shown)) * mixed);
            put_quat(local, out.first + lane, out.stride);
        }
        mix_moved(data, weights, window, out, pose);
    };
    each_evaluated_window(posed, layer, cover, blend);
}

/// The layer's differences on top of what is below.
void add_differences(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    SideChanger sides(block);
    const bool changes = block.layer().turns_sides != 0;
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
        if (changes) {
            for (std::size_t lane = 0; lane < window.lanes; ++lane) {
                const Quat below = quat_of(out.first + lane, out.stride), difference = quat_at(pose, lane);
                const auto mix = [&](float sign) {
                    const Vec3 turn = rotation_vector<float>(sign < 0 ? -difference : difference) * weights[lane];
                    return as_turn(turn) * below;
                };
                const Quat laid = sides.lay(window.first + lane, difference.w, weights[lane], mix);
                put_quat(normalized(laid), out.first + lane, out.stride);
            }
        } else {
            alignas(cache_line) std::array<float, 3 * window_lanes> turns; // NOLINT: filled lane by lane
            kernels::difference_turns({pose.rows.data(), window_lanes}, weights.data(), block.hemispheres(window.first),
                                      {turns.data(), window_lanes}, window.lanes);
            kernels::turn_by({out.first, out.stride}, {turns.data(), window_lanes}, window.lanes);
        }
        for (const MovedJoint& moved : data.moved_in(window)) {
            const std::size_t lane = moved.joint - window.first;
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const std::size_t row = moved.row + axis;
                const float off = pose.rows[row * window_lanes + lane] - moved.rest[axis];
                out.first[row * out.stride + lane] += weights[lane] * off;
            }
        }
    };
    each_evaluated_window(posed, layer, cover, blend);
}

/// What is left of the sides that a layer changed which no longer counts. In model space a joint takes along those
/// below it, as it did.
void decay_sides(const PosedLayer& posed) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    const SideChanger sides(block);
    const bool in_model = data.layers[block.layer_index()].space == LayerSpace::model;
    const Window reach = posed.lanes;
    const PoseRows out = rows_at(data, block, reach);
    std::array<Quat, most_model_joints> shown;
    for (std::size_t joint = reach.first; joint < std::min(reach.end(), data.rig.joints.size()); ++joint) {
        float* const rows = out.first + joint - reach.first;
        const Quat own = quat_of(rows, out.stride);
        if (!in_model) {
            put_quat(normalized(sides.without(joint, own)), rows, out.stride);
            continue;
        }
        const int parent = data.parents[joint];
        const Quat above = parent < 0 ? Quat{} : shown[std::size_t(parent)];
        shown[joint] = sides.without(joint, above * own);
        put_quat(normalized(conjugate(above) * shown[joint]), rows, out.stride);
    }
}

/// Whether nothing shows from below a layer. What can be told without its shares is asked first.
bool hides(const CharacterData& data, const PerformerBlock& block) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    if (!own.may_hide || block.layer().weight.value < 1 || plays_nothing(data, block.layer())) { return false; }
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
    return layer.turns_sides == 0 && ((own.joins && layer.offset_active == 0) || !(layer.weight.value > 0));
}

/// Writes down what of a layer lies over those below it in a window, if it shows.
void write_over(const CharacterData& data, const CompiledLayer& own, const PerformerBlock& block, Window window,
                const Evaluation& what, WindowProgram& program, MovedValues& moved) {
    if (!(block.layer().weight.value > 0) || plays_nothing(data, block.layer())) {
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
    if (const Instance* only = what.shift == 0 ? only_motion(data, block.layer()) : nullptr) {
        lay(whole_cover(own, block.layer()),
            [&](MovedValues* values) { write_only(data, block, *only, program, values); });
    } else {
        const LayerPose pose(data, block, what);
        lay(cover_of(own, pose), [&](MovedValues* values) { pose.write(program, values); });
    }
}

/// Blends the layers from `first` on in one pass, as far as they join what is below them. The one after the last.
std::size_t blend_together(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted,
                           std::size_t first) {
    std::size_t l = first;
    each_window({0, wanted.lanes}, [&](Window window) {
        const PoseRows out = rows_at(data, block, window);
        WindowProgram program(window, out);
        MovedValues moved;
        l = first;
        if (l == 0) {
            program.begin(window);
            const PerformerBlock lowest = block.of_layer(l++);
            if (const Instance* only = wanted.what->shift == 0 ? only_motion(data, lowest.layer()) : nullptr) {
                write_only(data, lowest, *only, program, &moved);
            } else {
                LayerPose(data, lowest, *wanted.what).write(program, &moved);
            }
            show_moved(data, window, moved, out);
        }
        for (auto own = data.layers.begin() + std::ptrdiff_t(l); own != data.layers.end(); ++own, ++l) {
            const PerformerBlock over = block.of_layer(l);
            if (!joins(*own, over.layer())) { break; }
            write_over(data, *own, over, window, *wanted.what, program, moved);
        }
        program.run();
    });
    // Those that have come to lie on the far side change it with the next pose, one by one.
    for (std::size_t over = std::max<std::size_t>(first, 1); over < l; ++over) {
        const PerformerBlock layer = block.of_layer(over);
        if (layer.layer().shown != 0 && has_far_sides(layer, common(layer.reach(), {0, wanted.lanes}))) {
            layer.layer().turns_sides = 1;
        }
    }
    return l;
}

/// A layer by itself, over those below it if there are any. Apart from what most frames do, so that its scratch poses
/// are not in between.
GAIT_NOINLINE void blend_layer_alone(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted) {
    const CompiledLayer& own = data.layers[block.layer_index()];
    const LayerPose pose(data, block, *wanted.what);
    const PosedLayer posed{data, block, common(block.reach(), {0, wanted.lanes})};
    if (block.layer_index() == 0) {
        return each_window(posed.lanes, [&](Window window) { pose.evaluate(window, rows_at(data, block, window)); });
    }
    const Cover cover = cover_of(own, pose);
    std::uint8_t& turns_sides = block.layer().turns_sides;
    if (!note_shown(block, cover.shows())) {
        if (turns_sides != 0) { decay_sides(posed); }
    } else if (cover.adds) {
        add_differences(posed, pose, cover);
    } else if (own.space == LayerSpace::model) {
        replace_in_model(posed, pose, cover);
    } else {
        replace_local(posed, pose, cover);
    }
    if (turns_sides == 0) {
        // Those that have come to lie on the far side change it with the next pose.
        turns_sides = block.layer().shown != 0 && has_far_sides(block, posed.lanes) ? 1 : 0;
    } else {
        const auto turns = block.side_turns();
        const bool is_over = std::all_of(turns.begin(), turns.end(), [](const SideTurn& t) { return t.is_over(); });
        turns_sides = is_over ? 0 : 1;
    }
}

} // namespace

void evaluate_pose(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted) {
    const std::size_t count = data.layers.size(), lowest = data.some_layer_hides ? lowest_shown(data, block) : 0;
    for (std::size_t l = lowest; l < count;) {
        const PerformerBlock next = block.of_layer(l);
        if (joins(data.layers[l], next.layer())) {
            l = blend_together(data, block, wanted, l);
        } else {
            blend_layer_alone(data, next, wanted);
            ++l;
        }
    }
    // What is hidden, and what hides it, may find the nearer side anew: nobody sees both.
    for (std::size_t l = 1; l <= lowest; ++l) { note_shown(block.of_layer(l), false); }
}

} // namespace gait::detail
