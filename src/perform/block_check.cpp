#include "perform/block_check.hpp"

#include "gait/character.hpp"
#include "gait/eases.hpp"
#include "gait/fade_style.hpp"
#include "gait/performer.hpp"
#include "math/bounds.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace gait::detail {
namespace {

bool is_within(double value, double low, double high) { return value >= low && value <= high; }
bool is_near(double value) { return is_within(value, -farthest, farthest); }
/// Seconds that have gone or are left.
bool is_time(double value) { return is_within(value, 0, 1e12); }
bool is_part(double value) { return is_within(value, -1e-3, 1 + 1e-3); }
bool is_unit(Quat q) { return std::fabs(dot(q, q) - 1) < 1e-2F; }
bool is_near(Vec3 v) { return is_near(double(v.x)) && is_near(double(v.y)) && is_near(double(v.z)); }
bool is_near(const BodyStep& s) { return is_near(s.x) && is_near(s.y) && is_near(s.z) && is_near(s.yaw); }
bool is_flag(unsigned value) { return value <= 1; }
bool are_sides(const std::int8_t* first, std::size_t count) {
    return std::all_of(first, first + count, [](std::int8_t side) { return side >= -1 && side <= 1; });
}

class BlockCheck {
public:
    BlockCheck(const CharacterData& data, const PerformerBlock& block) : data_(data), block_(block) {}

    [[nodiscard]] bool run() const {
        if (!header() || !inputs() || !picks_and_resumes() || !feet() || !pose()) { return false; }
        for (std::size_t l = 0; l < data_.layers.size(); ++l) {
            if (!layer(block_.of_layer(l))) { return false; }
        }
        return true;
    }

private:
    [[nodiscard]] bool header() const {
        const PerformerHeader& h = block_.header();
        const bool numbers = is_time(h.time) && is_time(h.since_planted) && is_near(h.travel) &&
                             is_near(h.travel_share) && is_near(double(h.hips.drop)) && is_near(double(h.hips.speed)) &&
                             is_near(h.hips.as_played) &&
                             is_within(h.scale, double(smallest_scale), double(greatest_scale));
        const bool flags = is_flag(h.started) && is_flag(h.game_moves) && is_flag(h.signals_live) &&
                           is_flag(h.entered) && is_flag(h.inputs_settle) && is_flag(h.bent) && detail(h.detail) &&
                           h.pose_due == 0 && h.steps_unposed <= 2 && is_time(h.since_posed);
        if (h.faults.last > Refusal::not_there || h.faults.last_name[sizeof h.faults.last_name - 1] != 0) {
            return false;
        }
        if (!numbers || !flags || h.record_count > most_records || h.steps_since_planted > 2) { return false; }
        return std::all_of(h.records.begin(), h.records.begin() + h.record_count, [&](const TransitionRecord& r) {
            return is_time(r.time) && r.transition < data_.transition_info.size() && r.from < data_.state_info.size();
        });
    }

    [[nodiscard]] bool detail(const DetailState& d) const {
        const auto lanes = [&](std::uint16_t count) { return count < data_.layout.lanes && count % lane_padding == 0; };
        const auto level = [&](const DetailLevel& l) { return lanes(l.lanes) && l.left_out < slowest_pose; };
        const auto all = [&](std::uint16_t count) { return count == 0 ? data_.layout.lanes : count; };
        if (!data_.has_details) { return d.is_full() && d.rests <= 0; }
        const float* moves = block_.detail_moves();
        const bool numbers =
            std::all_of(moves, moves + 6 * data_.moved.size(), [](float m) { return is_near(double(m)); });
        return numbers && level(d.asked) && level(d.now) && lanes(d.lanes_before) && is_flag(d.aims) &&
               (d.rests <= 0 || all(d.lanes_before) >= all(d.now.lanes)) && is_within(double(d.settles), 0, 1) &&
               is_within(double(d.rests), 0, 1) && is_within(d.to_end, -longest_step, d.curve) &&
               is_within(d.curve, 0, longest_step * slowest_pose);
    }

    /// A value that conditions see, of a parameter or computed beside them.
    [[nodiscard]] bool value(std::size_t slot, float value) const {
        if (slot >= data_.parameters.size()) { return std::isfinite(value); }
        const ParameterInfo& info = data_.parameters[slot];
        if (!std::isfinite(value) || value < info.low || value > info.high) { return false; }
        return info_of(info.kind).continuous || value == std::floor(value);
    }

    [[nodiscard]] bool inputs() const {
        for (std::size_t slot = 0; slot < data_.layout.parameter_count; ++slot) {
            if (!value(slot, block_.raw()[slot]) || !value(slot, block_.smoothed()[slot])) { return false; }
        }
        constexpr double most = std::numeric_limits<float>::max(), fastest = 1e3 * most;
        for (std::size_t s = 0; s < data_.smoothed.size(); ++s) {
            const SmoothedState& state = block_.smoothed_states()[s];
            if (!is_within(state.value, -most, most) || !is_within(state.limited, -most, most)) { return false; }
            if (!is_within(state.velocity, -fastest, fastest)) { return false; }
        }
        for (std::size_t c = 0; c < data_.cursors.size(); ++c) {
            const CursorState& state = block_.cursor_states()[c];
            const PlanePoint& shown = block_.cursors()[c];
            for (std::size_t axis = 0; axis < 2; ++axis) {
                if (!is_within(state.value[axis], -most, most) || !is_within(state.limited[axis], -most, most) ||
                    !is_within(state.velocity[axis], -fastest, fastest)) {
                    return false;
                }
            }
            if (!is_within(shown.x, -most, most) || !is_within(shown.y, -most, most)) { return false; }
        }
        for (std::size_t c = 0; c < data_.computed.size(); ++c) {
            if (!is_time(block_.memory()[c])) { return false; }
        }
        for (std::size_t s = 0; s < data_.signals.size(); ++s) {
            const SentSignal& sent = block_.signals()[s];
            const auto layers = (1U << data_.layers.size()) - 1;
            if (!is_time(sent.age) || !is_time(sent.wait_left) || (sent.pending & ~layers) != 0) { return false; }
            if (!is_flag(sent.offered) || !is_flag(sent.began_wait)) { return false; }
        }
        return true;
    }

    [[nodiscard]] bool picks_and_resumes() const {
        for (std::size_t p = 0; p < data_.picks.size(); ++p) {
            const Deal& deal = block_.deals()[p];
            const CompiledPick& pick = data_.picks[p];
            const auto is_entry = [&](std::uint16_t entry) { return entry < pick.entries.size(); };
            const auto none_or = [](std::uint16_t entry, bool fits) { return entry == no_index || fits; };
            // Before it was ever entered there is no next one, and the present one is not asked for.
            if (!is_entry(deal.current) || !none_or(deal.next, is_entry(deal.next))) { return false; }
            if (!none_or(deal.last, deal.last < pick.count())) { return false; }
            if (deal.next == no_index && is_active(p)) { return false; }
            const bool dealt_none = deal.dealt == 0, last_known = deal.last != no_index;
            if (pick.order == PickOrder::dealt && !dealt_none && !last_known) { return false; }
        }
        for (std::size_t n = 0; n < data_.states.size(); ++n) {
            const CompiledState& state = data_.states[n];
            if (state.resume == no_index) { continue; }
            const std::uint16_t left_in = block_.resumes()[state.resume];
            if (left_in != no_index && (left_in >= data_.states.size() || data_.states[left_in].parent != n)) {
                return false;
            }
        }
        return true;
    }

    /// Whether a pick is on the path of some layer.
    [[nodiscard]] bool is_active(std::size_t pick) const {
        for (std::size_t l = 0; l < data_.layers.size(); ++l) {
            const LayerHeader& layer = block_.of_layer(l).layer();
            for (std::size_t level = 0; level < std::min<std::size_t>(layer.depth, most_levels); ++level) {
                const std::uint16_t node = layer.path[level].node;
                if (node < data_.states.size() && data_.states[node].kind == NodeKind::pick &&
                    data_.states[node].selector == pick) {
                    return true;
                }
            }
        }
        return false;
    }

    [[nodiscard]] bool feet() const {
        const auto offset = [](const FootOffset& o) {
            return is_near(double(o.x)) && is_near(double(o.z)) && is_near(double(o.yaw));
        };
        return std::all_of(block_.feet(), block_.feet() + data_.feet.legs.size(), [&](const PlantedFoot& foot) {
            return is_near(foot.heel) && is_near(foot.ball) && is_near(foot.wanted) && is_near(double(foot.lifted)) &&
                   is_part(double(foot.contact)) && offset(foot.off) && offset(foot.speed) && offset(foot.lifted_at) &&
                   offset(foot.lifted_speed) && (foot.stepping == 0 || foot.stepping == 1) &&
                   is_time(double(foot.stepped)) && is_time(double(foot.rests)) && is_part(double(foot.grip)) &&
                   is_near(double(foot.roll.pitch)) && is_near(double(foot.roll.speed)) &&
                   (block_.header().steps_since_planted != 0 ||
                    std::all_of(foot.as_played.begin(), foot.as_played.end(), is_unit));
        });
    }

    [[nodiscard]] bool pose() const {
        const float* rows = block_.pose();
        const std::size_t lanes = data_.layout.lanes;
        for (std::size_t j = 0; j < data_.rig.joints.size(); ++j) {
            const auto row = [&](std::size_t r) { return rows[r * lanes + j]; };
            if (!is_unit({row(0), row(1), row(2), row(3)})) { return false; }
            for (std::size_t r = 4; r < data_.layout.pose_rows; ++r) {
                if (!is_near(double(row(r)))) { return false; }
            }
        }
        return true;
    }

    // ---- a layer ----

    /// Nodes one inside the other, from the layer's own to a motion.
    [[nodiscard]] bool path(const LayerHeader& layer, std::size_t which) const {
        if (layer.depth < 1 || layer.depth > most_levels || layer.announced_depth > most_levels ||
            layer.unchanged_depth > most_levels) {
            return false;
        }
        std::uint16_t around = no_index;
        for (std::size_t level = 0; level < layer.depth; ++level) {
            const ActiveNode& active = layer.path[level];
            if (active.node >= data_.states.size() || !is_time(active.elapsed)) { return false; }
            const CompiledState& state = data_.states[active.node];
            if (state.layer != which || state.level != level || state.parent != around) { return false; }
            if ((state.kind == NodeKind::motion) != (level + 1U == layer.depth)) { return false; }
            around = active.node;
        }
        return std::all_of(layer.announced.begin(), layer.announced.begin() + layer.announced_depth,
                           [&](std::uint16_t node) { return node < data_.states.size(); });
    }

    [[nodiscard]] bool playheads(const PerformerBlock& block, const Instance& instance) const {
        const Motion& motion = data_.motions.motions[data_.states[instance.state].motion];
        const std::size_t count = block.layer().playing[instance.slot];
        if (count > std::min<std::size_t>(block.most_playing(), motion.leaf_count)) { return false; }
        if ((count == 0) != motion.nothing) { return false; }
        int before = -1;
        for (const Playhead& playhead : block.playing(instance)) {
            if (playhead.leaf >= motion.leaf_count || int(playhead.leaf) <= before) { return false; }
            before = playhead.leaf;
            if (!is_within(playhead.position, 0, 1) || !is_part(double(playhead.weight)) || !is_flag(playhead.begins) ||
                !is_within(double(playhead.pace), -100.0 * double(greatest_pace), 100.0 * double(greatest_pace))) {
                return false;
            }
        }
        for (std::uint32_t t = 0; t < motion.term_count; ++t) {
            const TermState& state = block.term_states(instance)[t];
            if (!is_part(double(block.terms(instance)[t])) || !is_near(state.value) || !is_near(state.velocity)) {
                return false;
            }
        }
        const VelocityCorrection& correction = block.velocity_correction(instance);
        return is_near(double(correction.right)) && is_near(double(correction.ahead));
    }

    [[nodiscard]] bool instances(const PerformerBlock& block) const {
        const LayerHeader& layer = block.layer();
        if (layer.instance_count < 1 || layer.instance_count > most_instances) { return false; }
        unsigned slots = 0;
        for (std::size_t i = 0; i < layer.instance_count; ++i) {
            const Instance& instance = layer.instances[i];
            if (instance.slot >= most_instances || ((slots >> instance.slot) & 1U) != 0) { return false; }
            slots |= 1U << instance.slot;
            if (instance.state >= data_.states.size()) { return false; }
            const CompiledState& state = data_.states[instance.state];
            if (state.layer != block.layer_index() || state.kind != NodeKind::motion) { return false; }
            if (instance.entered_by != no_index && instance.entered_by >= data_.transition_info.size()) {
                return false;
            }
            if (!is_time(instance.elapsed) || !is_within(instance.fade, 0, longest_fade)) { return false; }
            if (std::size_t(instance.ease) >= eases.size() || instance.timing > Timing::alone) { return false; }
            for (const unsigned flag :
                 {instance.frozen, instance.settling, instance.finished, instance.inertial, instance.begun}) {
                if (!is_flag(flag)) { return false; }
            }
            if (!playheads(block, instance)) { return false; }
            const Motion& motion = data_.motions.motions[state.motion];
            if (instance.timing == Timing::alone && (!motion.synced || motion.leaf_count != 1)) { return false; }
        }
        return layer.instances[layer.instance_count - 1U].state == layer.path[layer.depth - 1U].node;
    }

    [[nodiscard]] bool offset(const PerformerBlock& block) const {
        const LayerHeader& layer = block.layer();
        if (!is_flag(layer.offset_active) || !is_near(double(layer.offset_covered.masked)) ||
            !is_near(double(layer.offset_covered.whole_body)) || !is_near(double(layer.offset_uncovers.masked)) ||
            !is_near(double(layer.offset_uncovers.whole_body)) || !is_near(layer.offset_travel) ||
            !is_within(layer.offset_share, -1e3, 1e3)) {
            return false;
        }
        const std::size_t values = data_.value_info.size(), moves = 2 * 3 * data_.moved.size();
        const auto are_near = [](const float* first, std::size_t count) {
            return std::all_of(first, first + count, [](float v) { return is_near(double(v)); });
        };
        if (!std::all_of(block.value_offset(), block.value_offset() + values,
                         [](float v) { return std::isfinite(v); })) {
            return false;
        }
        if (layer.offset_active == 0) { return true; }
        const Window reach = block.reach();
        for (std::size_t lane = 0; lane < data_.layout.lanes; lane += window_lanes) {
            const OffsetUnits& units = block.offset_units(lane);
            if (lane + window_lanes <= reach.first || lane >= reach.end()) { continue; }
            if (!is_near(double(units.start)) || !is_near(double(units.velocity))) { return false; }
        }
        return is_within(double(layer.offset_seconds), 1e-6, longest_fade) && is_time(layer.offset_elapsed) &&
               are_near(block.offset_move(), moves);
    }

    [[nodiscard]] bool layer(const PerformerBlock& block) const {
        const LayerHeader& layer = block.layer();
        const std::size_t which = block.layer_index();
        if (!path(layer, which) || !instances(block) || !offset(block)) { return false; }
        if (!is_within(layer.phase, 0, 1) || !is_near(layer.step_speed) || !is_near(layer.weight.value) ||
            !is_near(layer.weight.velocity) || !is_within(layer.seconds_until_decision, -farthest, farthest)) {
            return false;
        }
        // Who goes by another layer's phase has one to go by.
        const bool keeps_step = data_.layers[which].in_step_with != no_index;
        if (layer.keeping > StepKeeping::between || (layer.keeping != StepKeeping::own && !keeps_step)) {
            return false;
        }
        for (const SideTurn& turn : block.side_turns()) {
            const auto most = double(SideTurn::greatest_rate);
            if (!is_within(double(turn.left), 0, double(float(SideTurn::seconds))) ||
                !is_within(double(turn.rate), -most, most)) {
                return false;
            }
        }
        const kernels::Hemispheres sides = block.hemispheres(block.reach().first);
        return is_flag(layer.weight_moved) && is_flag(layer.shown) && is_flag(layer.turns_sides) &&
               is_flag(layer.turned_down) && layer.far_sides == 0 && are_sides(sides.sign, 3 * block.reach().lanes) &&
               (block.carried() == 0 || are_sides(block.carry_side(0)[0], 2 * block.carried()));
    }

    const CharacterData& data_;
    const PerformerBlock& block_;
};

} // namespace

bool is_sound(const CharacterData& data, const PerformerBlock& block) { return BlockCheck(data, block).run(); }

} // namespace gait::detail
