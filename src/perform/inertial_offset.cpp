#include "perform/inertial_offset.hpp"

#include "math/negligible.hpp"
#include "math/pose_kernels.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"
#include "perform/body_travel.hpp"
#include "perform/passing_weights.hpp"
#include "perform/values.hpp"

#include <algorithm>
#include <cmath>
#include <span>

namespace gait::detail {
namespace {

/// Where a component of a window's pose stands that some clip moves.
std::size_t cell_of(const MovedJoint& moved, std::size_t axis, Window window) {
    return (moved.row + axis) * window_lanes + moved.joint - window.first;
}

/// The rotation vectors of the layer's offset, from a window's first lane on.
kernels::SmallTurns offset_turns(const PerformerBlock& block, Window window) {
    const Window reach = block.reach();
    return {block.offset_turn(0) + (window.first - reach.first), reach.lanes};
}

/// Whether some motion of these was not there yet a moment ago.
bool has_just_begun(const LayerHeader& layer, const Evaluation& what) {
    for (std::size_t i = what.first_instance; i < std::min<std::size_t>(layer.instance_count, what.last_instance);
         ++i) {
        if (layer.instances[i].elapsed < velocity_step) { return true; }
    }
    return false;
}

/// A layer that changes from what it played `before` to what it plays `after`.
struct Change {
    const OtherLayer& left; ///< whose motions `before` are; usually the layer itself
    const CharacterData& data;
    const PerformerBlock& block;
    const Evaluation& before;
    const Evaluation& after;
    bool chooses_signs = false; ///< of the newest motion

    /// How far off the instant is to which speeds are measured, seconds: before it, but what has only just begun has
    /// nothing before.
    double moment = has_just_begun(left.block.layer(), before) ? velocity_step : -velocity_step;
    [[nodiscard]] const Instance& newest() const { return block.layer().instances[block.layer().instance_count - 1U]; }
    /// Of a difference over that time, the speed.
    [[nodiscard]] float per_second() const { return float(-1 / moment); }
};

/// What was covered and no longer is, `shift` seconds from now.
Coverage uncovered_by(const Change& change, double shift) {
    const CompiledLayer &left = change.left.data.layers[change.left.block.layer_index()],
                        &own = change.data.layers[change.block.layer_index()];
    if (left.covers_evenly() && own.covers_evenly()) { return {}; }
    const PoseShares before(change.left.data, change.left.block, shifted(change.before, shift)),
        after(change.data, change.block, shifted(change.after, shift));
    return before.covered + before.folded - after.covered;
}
/// Now, and a moment off.
struct Uncovered {
    explicit Uncovered(const Change& change)
        : now(uncovered_by(change, 0)), then(uncovered_by(change, change.moment)) {}
    Coverage now, then;
};

/// What a window of the layer shows from now on, and a moment off.
struct Fresh {
    explicit Fresh(Window window) : now(window), then(window) {}
    WindowProgram now, then;
    MovedValues moved_now, moved_then;
};
void write(const LayerPose& pose, Window window, WindowProgram& program, MovedValues& moved) {
    program.begin(window);
    pose.write(program, &moved);
}

/// A window of what it showed, and a moment off.
struct Left {
    WindowPose now, then;
};

/// The turn of each joint from `fresh` to `left`, and how fast it changes. `goes_on`: what is fresh has only just
/// begun, and its `then` is as long after. Gives the newest motion, if that is asked for, the signs with which it is on
/// the side of what is left.
void catch_turns(const Change& change, Window window, const Left& left, Fresh& fresh, bool goes_on) {
    const PerformerBlock& block = change.block;
    const Instance& newest = change.newest();
    const auto rows = [](const WindowPose& pose) { return kernels::ConstRows{pose.rows.data(), window_lanes}; };
    const kernels::JointBits opposed{change.chooses_signs ? block.signs(newest) : nullptr, window.first};
    const kernels::CaughtTurns caught = kernels::catch_turns(
        {rows(left.now), rows(left.then), fresh.now.only_layer(), fresh.then.only_layer(), goes_on},
        offset_turns(block, window), opposed);
    block.offset_units(window.first) = {caught.turn, change.per_second() * caught.change};
    if (caught.any_opposed) { block.mark_signs(newest, true); }
}

/// The difference of the translations and scales that some clip moves, and how fast it changes.
void catch_moves(const Change& change, Window window, const Left& left, const Fresh& fresh, bool goes_on) {
    float* move = change.block.offset_move() + 6 * change.data.first_moved(window.first);
    const auto moved = change.data.moved_in(window);
    for (std::size_t m = 0; m < moved.size(); ++m) {
        for (std::size_t axis = 0; axis < 3; ++axis) {
            const std::size_t cell = cell_of(moved[m], axis, window);
            const float now = fresh.moved_now.at[m][axis], then = fresh.moved_then.at[m][axis];
            const float start = left.now.rows[cell] - now;
            const float off = left.then.rows[cell] - (goes_on ? 2 * now - then : then);
            *move++ = unless_below(1e-9F, start);
            *move++ = unless_below(1e-6F, (start - off) * change.per_second());
        }
    }
}

/// `uncovered` stays covered, and goes as the offset does.
void catch_pose(const Change& change, const Uncovered& uncovered) {
    const bool goes_on = change.moment < 0 && has_just_begun(change.block.layer(), change.after);
    const double off = goes_on ? velocity_step : change.moment;
    Evaluation is = change.before, was = shifted(is, change.moment), stays = change.after, stayed = shifted(stays, off);
    stays.folded = &uncovered.now;
    stayed.folded = &uncovered.then;
    const PassingWeights left_weights(change.left.data, change.left.block, is, change.moment),
        own_weights(change.data, change.block, stays, off);
    is.highest_weights = left_weights.now();
    was.highest_weights = left_weights.then();
    stays.highest_weights = own_weights.now();
    stayed.highest_weights = own_weights.then();
    const auto left_pose = [&](const Evaluation& what) { return LayerPose(change.left.data, change.left.block, what); };
    const auto pose_of = [&](const Evaluation& what) { return LayerPose(change.data, change.block, what); };
    const LayerPose before = left_pose(is), before_then = left_pose(was), after = pose_of(stays),
                    after_then = pose_of(stayed);
    if (change.chooses_signs) { change.block.clear_signs(change.newest()); }
    each_window(change.block.reach(), [&](Window window) {
        const auto evaluate = [&](const LayerPose& pose, WindowPose& out) {
            const PoseRows rows{out.rows.data(), window_lanes};
            // Another character may move less.
            if (&change.left.data != &change.data) { fill_rest(change.data, window, rows); }
            pose.evaluate_sums(window, rows);
        };
        Left left;
        evaluate(before, left.now);
        evaluate(before_then, left.then);
        Fresh fresh(window);
        write(after, window, fresh.now, fresh.moved_now);
        write(after_then, window, fresh.then, fresh.moved_then);
        catch_turns(change, window, left, fresh, goes_on);
        catch_moves(change, window, left, fresh, goes_on);
    });
}

void catch_travel(const Change& change) {
    LayerHeader& layer = change.block.layer();
    const LayerHeader& left_layer = change.left.block.layer();
    const ClipTravel before = travel_velocity(change.left.data, change.left.block, change.before),
                     after = travel_velocity(change.data, change.block, change.after);
    const BodyStep &with = before.twist, &without = after.twist;
    const ClipTravel older = travel_of_offset(left_layer, {0, velocity_step});
    layer.offset_share = before.share - after.share + older.share;
    const BodyStep left = scaled(older.twist, 1 / velocity_step);
    layer.offset_travel = {with.x - without.x + left.x, with.y - without.y + left.y, with.z - without.z + left.z,
                           with.yaw - without.yaw + left.yaw};
}

/// How much more the lowest of what stays must get to be seen in full: one over what the motions above it leave of it;
/// 0 where they leave nothing.
float shown_through(const LayerHeader& layer, const Evaluation& after, double shift = 0) {
    double seen = 1;
    for (std::size_t i = after.first_instance + 1; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        seen *= 1 - eased(instance.ease, (instance.elapsed + shift) / instance.fade);
    }
    return seen > 1e-6 ? float(1 / seen) : 0;
}

/// Numbers decay as the pose does; what switches is kept as it was.
void catch_values(const Change& change, float raised) {
    const CharacterData& data = change.data;
    const LayerHeader& layer = change.block.layer();
    const float still_left = value_offset_left(layer);
    const std::size_t newest = std::min<std::size_t>(change.before.last_instance, layer.instance_count) - 1;
    for (std::size_t v = 0; v < data.value_info.size(); ++v) {
        float& offset = change.block.value_offset()[v];
        if (data.value_info[v].kind == ParameterKind::number) {
            offset = raised * (summed_value(data, layer, change.before, v) -
                               summed_value(data, layer, change.after, v) + offset * still_left);
        } else {
            offset = data.state_values[layer.instances[newest].state * data.value_info.size() + v];
        }
    }
}

/// Numbers of the same name, where another character's motions were left.
void catch_values_of_other(const Change& change, float raised) {
    const auto& old_values = change.left.data.value_info;
    const LayerHeader& old_layer = change.left.block.layer();
    for (std::size_t v = 0; v < change.data.value_info.size(); ++v) {
        const LayerHeader& layer = change.block.layer();
        float& offset = change.block.value_offset()[v];
        const bool number = change.data.value_info[v].kind == ParameterKind::number;
        const std::size_t newest = layer.instances[layer.instance_count - 1U].state;
        offset = number ? 0 : change.data.state_values[newest * change.data.value_info.size() + v];
        const auto same = std::find_if(old_values.begin(), old_values.end(), [&](const ValueInfo& info) {
            return info.name == change.data.value_info[v].name && info.kind == change.data.value_info[v].kind;
        });
        if (same == old_values.end() || same->kind != ParameterKind::number) { continue; }
        const auto old = std::size_t(same - old_values.begin());
        const float left = change.left.block.value_offset()[old] * value_offset_left(old_layer);
        offset = raised * (summed_value(change.left.data, old_layer, change.before, old) + left -
                           summed_value(change.data, layer, change.after, v));
    }
}

} // namespace

void apply_offset(const CharacterData& data, const PerformerBlock& block, double elapsed, Window window, PoseRows out) {
    const LayerHeader& layer = block.layer();
    const Window reach = block.reach();
    const OffsetUnits units = block.offset_units(window.first);
    const SharedDecay decay(double(layer.offset_seconds), elapsed);
    alignas(cache_line) std::array<float, 3 * window_lanes> turn{};
    const std::size_t first = std::max(window.first, reach.first), end = std::min(window.end(), reach.end());
    if (end > first) {
        float* own = turn.data() + (first - window.first);
        const auto seconds = layer.offset_seconds;
        kernels::decay_turns(offset_turns(block, {first, end - first}),
                             {units.start, units.velocity, decay.start(), decay.velocity(), seconds, float(elapsed)},
                             {own, window_lanes}, end - first);
    }
    kernels::turn_by({out.first, out.stride}, {turn.data(), window_lanes}, window.lanes);
    const Window both{first, end > first ? end - first : 0};
    const float* move = block.offset_move() + 6 * data.first_moved(both.first);
    for (const MovedJoint& moved : data.moved_in(both)) {
        const Vec3 left = decay.of({move[0], move[2], move[4]}, {move[1], move[3], move[5]});
        move += 6;
        float* cell = out.first + moved.row * out.stride + moved.joint - window.first;
        cell[0] += left.x;
        cell[out.stride] += left.y;
        cell[2 * out.stride] += left.z;
    }
}

namespace {

/// `seconds` until it has decayed.
void begin_offset(const Change& change, const Uncovered& uncovered, double seconds) {
    LayerHeader& layer = change.block.layer();
    const Coverage then = uncovered.then * shown_through(layer, change.after, change.moment);
    layer.offset_covered = uncovered.now * shown_through(layer, change.after);
    layer.offset_uncovers = (layer.offset_covered - then) * change.per_second();
    layer.offset_serial = layer.instances[change.after.first_instance].serial;
    layer.offset_active = 1;
    layer.offset_seconds = float(seconds);
    layer.offset_elapsed = 0;
}

} // namespace

void capture_offset(const CharacterData& data, const PerformerBlock& block, const Evaluation& before,
                    const Evaluation& after, double seconds, bool chooses_signs) {
    const OtherLayer itself{data, block};
    const Change change{itself, data, block, before, after, chooses_signs};
    const Uncovered uncovered(change);
    catch_pose(change, uncovered);
    if (data.travels) { catch_travel(change); }
    catch_values(change, shown_through(block.layer(), after));
    begin_offset(change, uncovered, seconds);
}

void capture_offset_from(const OtherLayer& left, const CharacterData& data, const PerformerBlock& block,
                         double seconds) {
    // What lay on the motions is caught with the rest.
    block.layer().offset_active = 0;
    const Change change{left, data, block, everything_now, everything_now};
    const Uncovered uncovered(change);
    catch_pose(change, uncovered);
    if (data.travels || left.data.travels) { catch_travel(change); }
    catch_values_of_other(change, shown_through(block.layer(), everything_now));
    begin_offset(change, uncovered, seconds);
}

void lay_on_offset(const CharacterData& data, const PerformerBlock& block, std::span<const Vec3> turns,
                   std::span<const Vec3> moves) {
    each_window(block.reach(), [&](Window window) {
        OffsetUnits& units = block.offset_units(window.first);
        alignas(cache_line) std::array<float, 3 * window_lanes> starts; // NOLINT: filled lane by lane
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const std::size_t joint = window.first + lane, at = joint - block.reach().first;
            const auto whole = [&](std::size_t component) { return float(block.offset_turn(component)[at]); };
            Vec3 start = Vec3{whole(0), whole(1), whole(2)} * units.start;
            if (joint < turns.size() && dot(turns[joint], turns[joint]) > 0) {
                const auto turn = [](Vec3 v) { return axis_angle(v, double(length(v)) * degrees_per_radian); };
                Quat both = turn(turns[joint]) * turn(start);
                if (both.w < 0) { both = -both; }
                start = rotation_vector<double>(both);
            }
            starts[lane] = start.x;
            starts[window_lanes + lane] = start.y;
            starts[2 * window_lanes + lane] = start.z;
        }
        units.start = kernels::store_turns({starts.data(), window_lanes}, offset_turns(block, window), window.lanes);
        const std::size_t first = data.first_moved(window.first);
        float* move = block.offset_move() + 6 * first;
        for (std::size_t m = first; m < data.first_moved(window.end()) && m < moves.size(); ++m, move += 6) {
            move[0] += moves[m].x;
            move[2] += moves[m].y;
            move[4] += moves[m].z;
        }
    });
}

ShownDifference shown_difference(const OtherLayer& left, const CharacterData& data, const PerformerBlock& block) {
    const LayerPose before(left.data, left.block), after(data, block);
    ShownDifference difference;
    const OtherLayer now{data, block};
    const auto cover_of = [](const OtherLayer& layer) {
        const PoseShares shares(layer.data, layer.block, everything_now);
        return shares.covered + shares.folded;
    };
    const Coverage more = cover_of(now) - cover_of(left);
    difference.cover = double(std::max(std::fabs(more.masked), std::fabs(more.whole_body)));
    each_window(block.reach(), [&](Window window) {
        WindowPose was, is;
        const auto evaluate = [&](const LayerPose& pose, WindowPose& out) {
            const PoseRows rows{out.rows.data(), window_lanes};
            fill_rest(data, window, rows);
            pose.evaluate(window, rows);
        };
        evaluate(before, was);
        evaluate(after, is);
        for (std::size_t lane = 0; lane < window.lanes; ++lane) {
            const Quat turn = quat_at(was, lane) * conjugate(quat_at(is, lane));
            const double half = arc_tangent(double(length(Vec3{turn.x, turn.y, turn.z})), double(std::fabs(turn.w)));
            difference.degrees = std::max(difference.degrees, 2 * half * degrees_per_radian);
        }
        for (const MovedJoint& moved : data.moved_in(window)) {
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const std::size_t cell = cell_of(moved, axis, window);
                difference.metres = std::max(difference.metres, double(std::fabs(was.rows[cell] - is.rows[cell])));
            }
        }
    });
    return difference;
}

} // namespace gait::detail
