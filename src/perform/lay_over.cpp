#include "perform/lay_over.hpp"

#include "math/model_kernels.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"
#include "perform/blend_layers.hpp"
#include "perform/body_travel.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
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

/// How fast a layer counts more, a second, as a part of what it counts now.
double growth_of(const CharacterData& data, const PerformerBlock& block) {
    const double now = layer_cover(data, block);
    return now > 0 ? (now - layer_cover(data, block, -velocity_step)) / (velocity_step * now) : 0;
}

/// Lays rotations over those below one by one, and changes a side that has become the far one: what that changes is put
/// into a turn that decays. Where no more of those can be under way the far side stays for the time.
///
/// With the upper one a turn `a` about an axis from the lower, the far side shows `w a` of it and the nearer one
/// `w (a - 2 pi)`: between them are `2 pi w`, which as the shorter turn is `2 pi w` up to a half and `2 pi (w - 1)`
/// above, and whichever that is changes by `2 pi w'`.
class SideChanger {
public:
    explicit SideChanger(const PosedLayer& posed)
        : data_(posed.data), block_(posed.block), turns_(posed.block.side_turns()) {
        if (posed.block.layer().turns_sides == 0) { turns_ = {}; }
    }

    /// `mix(sign)` is what shows with the upper rotation on that side. `product`: of the two; `weight`: of the upper
    /// one.
    template <typename Mix> Quat lay(std::size_t joint, float product, float weight, Mix mix) {
        const kernels::Hemispheres sides = block_.hemispheres(joint);
        const float sign = kernels::remember(sides, product, weight);
        Quat shown = mix(sign);
        if (compares_) { return shown; }
        if (*sides.turned < 0) { shown = -shown; }
        const Quat now = without(joint, shown);
        if (*sides.agreement >= 0) { return now; }
        SideTurn* const room = room_for(joint);
        if (room == nullptr) { return now; }
        *sides.sign = std::int8_t(-sign);
        *sides.agreement = 1;
        return turn_into(*room, joint, now, mix(-sign), weight < 0.5F ? growth() : -growth() * weight / (1 - weight));
    }
    /// The same of a joint that is taken along by `carry`, in `part`; `lay_over(below, weight)` lays it over what that
    /// makes of it where it is `alone`.
    template <typename Lay>
    Quat lay_carried(std::size_t joint, const Quat& carry, float part, const Quat& alone, float weight, Lay lay_over) {
        const auto [sign, agreement] = block_.carry_side(joint);
        std::int8_t turned = 1;
        const float side = kernels::remember({sign, agreement, &turned}, carry.w, 0.5F);
        const auto laid = [&](float on, float at) {
            return lay_over(as_turn(rotation_vector<double>(on < 0 ? -carry : carry) * part) * alone, at);
        };
        const Quat now = laid(side, weight);
        SideTurn* const room = *agreement < 0 ? room_for(joint) : nullptr;
        if (room == nullptr) { return now; }
        *sign = std::int8_t(-side);
        *agreement = 1;
        // What is between the two sides, and was a moment ago when the layer counted as it did then.
        compares_ = true;
        const auto between = [&](float at) { return laid(side, at) * conjugate(laid(-side, at)); };
        const Quat other = laid(-side, weight), off = on_side_of({}, between(weight)),
                   earlier = on_side_of(off, between(weight * (1 - float(velocity_step) * growth())));
        compares_ = false;
        const Vec3 vector = rotation_vector<double>(off), change = vector - rotation_vector<double>(earlier);
        const float square = dot(vector, vector);
        return turn_into(*room, joint, now, other,
                         square > 1e-9F ? dot(vector, change) / (square * float(velocity_step)) : 0);
    }
    /// Nothing takes the joint along now.
    void lay_free(std::size_t joint) { *block_.carry_side(joint)[0] = 0; }

    /// What still decays where the layer does not count.
    [[nodiscard]] Quat without(std::size_t joint, const Quat& below) const {
        const SideTurn* const turn = turn_of(joint);
        return turn == nullptr || compares_ ? below : as_turn(left_of(*turn)) * below;
    }

private:
    /// The one under way, or null.
    [[nodiscard]] SideTurn* turn_of(std::size_t joint) const {
        const auto is_its = [&](const SideTurn& turn) { return !turn.is_over() && turn.joint == joint; };
        const auto found = std::find_if(turns_.begin(), turns_.end(), is_its);
        return found == turns_.end() ? nullptr : &*found;
    }
    /// For one that begins, in the place of what is left of another of the joint's.
    [[nodiscard]] SideTurn* room_for(std::size_t joint) {
        turns_ = block_.side_turns();
        if (SideTurn* const own = turn_of(joint)) { return own; }
        const auto is_over = [](const SideTurn& turn) { return turn.is_over(); };
        const auto found = std::find_if(turns_.begin(), turns_.end(), is_over);
        return found == turns_.end() ? nullptr : &*found;
    }
    /// What was shown up to `now` turns into `other` from here on.
    Quat turn_into(SideTurn& turn, std::size_t joint, const Quat& now, const Quat& other, float rate) {
        // On the side of what showed before, so that layers above see no change of sign.
        const Quat changed = on_side_of(now, other);
        *block_.hemispheres(joint).turned = std::int8_t(dot(changed, other) < 0 ? -1 : 1);
        Quat off = now * conjugate(changed);
        if (off.w < 0) { off = -off; }
        store(turn, rotation_vector<double>(off), rate);
        turn.joint = std::uint16_t(joint);
        block_.layer().turns_sides = 1;
        return as_turn(left_of(turn)) * changed;
    }
    static void store(SideTurn& turn, Vec3 vector, float rate) {
        const std::array<float, 3> values{vector.x, vector.y, vector.z};
        for (std::size_t axis = 0; axis < 3; ++axis) {
            turn.vector[axis] =
                std::int16_t(std::lround(std::clamp(values[axis] / SideTurn::unit, -32767.0F, 32767.0F)));
        }
        turn.rate = std::clamp(rate, -SideTurn::greatest_rate, SideTurn::greatest_rate);
        turn.left = float(SideTurn::seconds);
    }
    static Vec3 left_of(const SideTurn& turn) {
        const double elapsed = double(float(SideTurn::seconds) - turn.left);
        const float part = float(decayed({1, turn.rate}, SideTurn::seconds, elapsed)) * SideTurn::unit;
        return {part * float(turn.vector[0]), part * float(turn.vector[1]), part * float(turn.vector[2])};
    }

    float growth() {
        if (!growth_) { growth_ = float(growth_of(data_, block_)); }
        return *growth_;
    }

    const CharacterData& data_;
    const PerformerBlock& block_;
    std::span<SideTurn> turns_;   ///< those that may be under way
    std::optional<float> growth_; ///< asked where some joint lies on the far side
    bool compares_ = false;       ///< what would show is asked for alone
};

/// What shows of two rotations; the lower one where they cancel out.
Quat mixed_by(const Quat& below, const Quat& above, float weight) {
    if (weight >= 1) { return above; }
    const float even = kernels::EvenWeight::of(weight, dot(below, above));
    const Quat sum{below.x + even * (above.x - below.x), below.y + even * (above.y - below.y),
                   below.z + even * (above.z - below.z), below.w + even * (above.w - below.w)};
    return dot(sum, sum) < 1e-12F ? below : normalized(sum);
}

/// The layer's rotations in the place of those below, each against its parent.
void replace_local(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    SideChanger sides(posed);
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

/// A joint that is laid over in model space by itself.
struct ModelJoint {
    std::size_t joint;
    int parent;
    Quat own;     ///< what is below, against its parent
    float counts; ///< in the layer's mask: against those above it
    float weight;
};
float counts_in(const CharacterData& data, const PerformerBlock& block, std::size_t joint) {
    const std::uint16_t mask = data.layers[block.layer_index()].mask;
    return mask == no_index ? 1 : data.masks[mask][joint];
}

/// What it shows against its parent, where `lay_over(below, weight)` is what it shows against the body.
template <typename Lay> Quat lay_joint(SideChanger& sides, InModel& model, const ModelJoint& it, Lay lay_over) {
    const Quat above = rotation_of(model.shown, it.parent), under = rotation_of(model.below, it.parent),
               alone = under * it.own;
    const float carried_by = it.parent < 0 ? 0 : model.greatest[std::size_t(it.parent)];
    // A joint that counts less than one above it is carried along by that, wholly where it does not count. What the
    // mask says stays as it is while the layer comes and goes, so this goes on as it was to the last of it.
    Quat shown;
    if (it.counts > 0 && it.counts < carried_by) {
        const float part = 1 - it.counts / carried_by;
        shown = sides.lay_carried(it.joint, above * conjugate(under), part, alone, it.weight, lay_over);
    } else {
        sides.lay_free(it.joint);
        shown = lay_over(it.counts >= carried_by ? alone : above * it.own, it.weight);
    }
    put_quat(shown, model.shown.numbers.data() + 4 * it.joint, 1);
    put_quat(alone, model.below.numbers.data() + 4 * it.joint, 1);
    model.greatest[it.joint] = std::max(it.counts, carried_by);
    return normalized(conjugate(above) * shown);
}

/// Lays a window over what is below it joint by joint, as some are carried along by others or change their side.
void lay_one_by_one(const PosedLayer& posed, SideChanger& sides, Window window, const Weights& weights,
                    const WindowPose& pose, PoseRows out, InModel& model) {
    const CharacterData& data = posed.data;
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const std::size_t joint = window.first + lane;
        if (joint >= data.rig.joints.size()) { break; }
        const int parent = data.parents[joint];
        const Quat target = rotation_of(model.target, parent) * quat_at(pose, lane);
        put_quat(target, model.target.numbers.data() + 4 * joint, 1);
        const auto lay = [&](const Quat& below, float weight) {
            const auto mix = [&](float sign) {
                return weight > 0 ? mixed_by(below, sign < 0 ? -target : target, weight) : below;
            };
            return sides.lay(joint, dot(below, target), weight, mix);
        };
        const ModelJoint it{joint, parent, quat_of(out.first + lane, out.stride), counts_in(data, posed.block, joint),
                            weights[lane]};
        const Quat shown = lay_joint(sides, model, it, lay);
        if (it.weight > 0 || posed.block.layer().turns_sides != 0) { put_quat(shown, out.first + lane, out.stride); }
    }
}

/// The layer's rotations in the place of those below, each against the body as a whole: a joint faces where the layer
/// has it face, whatever the joints above it do below.
void replace_in_model(const PosedLayer& posed, const LayerPose& layer, const Cover& cover) {
    const CharacterData& data = posed.data;
    const PerformerBlock& block = posed.block;
    InModel model; // NOLINT: filled window by window; for the largest rig nothing is cleared
    SideChanger sides(posed);
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
            std::fill_n(model.greatest.data() + window.first, window.lanes, 0.0F); // nothing here carries any
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
    SideChanger sides(posed);
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
    const bool in_model = data.layers[block.layer_index()].space == LayerSpace::model;
    SideChanger sides(posed);
    const Window reach = posed.lanes;
    const PoseRows out = rows_at(data, block, reach);
    InModel model; // NOLINT: filled joint by joint
    for (std::size_t joint = reach.first; joint < std::min(reach.end(), data.rig.joints.size()); ++joint) {
        float* const rows = out.first + joint - reach.first;
        const Quat own = quat_of(rows, out.stride);
        if (!in_model) {
            put_quat(normalized(sides.without(joint, own)), rows, out.stride);
            continue;
        }
        const ModelJoint it{joint, data.parents[joint], own, counts_in(data, block, joint), 0};
        const auto lay = [&](const Quat& below, float) { return sides.without(joint, below); };
        put_quat(lay_joint(sides, model, it, lay), rows, out.stride);
    }
}

} // namespace gait::detail
