#include "perform/lay_over.hpp"

#include "math/model_kernels.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace gait::detail {
namespace {

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

/// What stands in model space of each joint so far.
struct InModel {
    struct alignas(cache_line) Rotations {
        std::array<float, 4 * most_model_joints> numbers;
    };
    Rotations below, target, shown;                ///< see `kernels::ModelRotations`
    std::array<float, most_model_joints> greatest; ///< by which it and those above it take along what is below them
};

Quat rotation_of(const InModel::Rotations& all, int joint) {
    return joint < 0 ? Quat{} : quat_of(all.numbers.data() + 4 * joint, 1);
}

/// Lays a window over what is below it joint by joint, as some are carried along by others or change their side.
void lay_one_by_one(const PosedLayer& posed, SideChanger& sides, Window window, const Weights& weights,
                    const WindowPose& pose, PoseRows out, InModel& model) {
    const CharacterData& data = posed.data;
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const std::size_t joint = window.first + lane;
        if (joint >= data.rig.joints.size()) { break; }
        const int parent = data.parents[joint];
        const Quat own = quat_of(out.first + lane, out.stride), above = rotation_of(model.shown, parent);
        const Quat alone = rotation_of(model.below, parent) * own,
                   target = rotation_of(model.target, parent) * quat_at(pose, lane);
        const float weight = weights[lane], carried_by = parent < 0 ? 0 : model.greatest[std::size_t(parent)];
        // A joint that counts less than one above it is carried along by that, wholly where it does not count.
        Quat below = alone;
        if (!(weight > 0)) {
            below = above * own;
        } else if (weight < carried_by) {
            const Quat carry = above * conjugate(rotation_of(model.below, parent));
            below = slerp({}, carry, double(1 - weight / carried_by)) * alone;
        }
        const auto mix = [&](float sign) {
            return weight > 0 ? mixed_by(below, sign < 0 ? -target : target, weight) : below;
        };
        const Quat mixed = sides.lay(joint, dot(below, target), weight, mix);
        put_quat(mixed, model.shown.numbers.data() + 4 * joint, 1);
        put_quat(target, model.target.numbers.data() + 4 * joint, 1);
        put_quat(alone, model.below.numbers.data() + 4 * joint, 1);
        model.greatest[joint] = std::max(sides.carries(joint, weight), carried_by);
        if (weight > 0 || posed.block.layer().turns_sides != 0) {
            put_quat(normalized(conjugate(above) * mixed), out.first + lane, out.stride);
        }
    }
}

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    InModel model; // NOLINT: filled window by window; for the largest rig nothing is cleared
    SideChanger sides(block);
    const bool carries = data.layers[block.layer_index()].carries;
    const auto blend = [&](Window window, const Weights& weights, const WindowPose& pose, PoseRows out) {
        const kernels::ModelWindow many{
            {pose.rows.data(), window_lanes},   weights.data(), block.hemispheres(window.first),
            data.parents.data() + window.first, window.first,   window.lanes};
        const bool at_once =
            !carries && block.layer().turns_sides == 0 &&
            kernels::lay_over_in_model(
                many, {model.below.numbers.data(), model.target.numbers.data(), model.shown.numbers.data()},
                {out.first, out.stride});
        if (at_once) {
            std::copy_n(weights.data(), window.lanes, model.greatest.data() + window.first);
        } else {
            lay_one_by_one(posed, sides, window, weights, pose, out, model);
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

} // namespace

void lay_over(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    if (cover.adds) { return add_differences(posed, layer, cover); }
    const CompiledLayer& own = posed.data.layers[posed.block.layer_index()];
    if (own.space == LayerSpace::model) { return replace_in_model(posed, layer, cover); }
    replace_local(posed, layer, cover);
}

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

} // namespace gait::detail
