#include "character/pack_check.hpp"

#include "gait/fade_style.hpp"
#include "math/bounds.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr std::size_t most_things = 65'534; ///< of anything that a 16-bit index counts
constexpr std::size_t most_pack_joints = 32'767;
constexpr double longest = 1e9; ///< seconds

bool is_within(double value, double low, double high) { return value >= low && value <= high; }
bool is_near(double value) { return is_within(value, -farthest, farthest); }
bool is_near(Vec3 v) { return is_near(double(v.x)) && is_near(double(v.y)) && is_near(double(v.z)); }
bool is_near(PlanePoint p) { return is_near(p.x) && is_near(p.y); }
bool is_near(const BodyStep& s) { return is_near(s.x) && is_near(s.y) && is_near(s.z) && is_near(s.yaw); }
bool is_time(double value) { return is_within(value, 0, longest); }
bool is_fade(double value) { return is_within(value, 0, longest_fade); }

template <typename List, typename Holds> bool all_of(const List& list, Holds holds) {
    return std::all_of(list.begin(), list.end(), holds);
}

/// Looks at one part after another. Each returns whether it can be played.
class PackCheck {
public:
    explicit PackCheck(const CharacterData& data)
        : data_(data), joints_(data.rig.joints.size()), lanes_(round_up(joints_, lane_padding)),
          slots_(data.needs.parameters) {}

    [[nodiscard]] std::string run() {
        // What later ones rely on stands first.
        if (!counts()) { return "how much there is of everything"; }
        if (!rig()) { return "its rig"; }
        if (!all_of(data_.clips, [&](const SampledClip& c) { return clip(c); }) ||
            !all_of(data_.additives, [&](const SampledClip& c) { return clip(c); })) {
            return "a clip";
        }
        if (!inputs()) { return "its parameters"; }
        if (!masks() || !feet()) { return "its masks or feet"; }
        if (!motions()) { return "its motions"; }
        if (!machine()) { return "its states"; }
        if (!layers()) { return "its layers"; }
        if (!told()) { return "its names"; }
        return {};
    }

private:
    static bool fits(std::size_t index, std::size_t count) { return index < count; }
    static bool fits_or_none(std::uint16_t index, std::size_t count) { return index == no_index || index < count; }
    static bool range_fits(std::size_t first, std::size_t count, std::size_t of) {
        return first <= of && count <= of - first;
    }

    [[nodiscard]] bool counts() const {
        const PerformerNeeds& n = data_.needs;
        const MotionTable& m = data_.motions;
        const auto few = [](std::size_t count) { return count <= most_things; };
        const bool own =
            n.joints == joints_ && n.smoothed == data_.smoothed.size() && n.computed == data_.computed.size() &&
            n.signals == data_.signals.size() && n.picks == data_.picks.size() && n.values == data_.value_info.size() &&
            n.cursors == data_.cursors.size() && n.moved == data_.moved.size() && n.legs == data_.feet.legs.size() &&
            n.details == data_.has_details && n.scales == data_.scales && n.layers.size() == data_.layers.size();
        const bool most = joints_ >= 1 && joints_ <= most_pack_joints && few(slots_) && few(data_.clips.size()) &&
                          few(data_.additives.size()) && few(data_.states.size()) && few(data_.transitions.size()) &&
                          few(data_.transition_info.size()) && few(data_.picks.size()) && few(data_.chooses.size()) &&
                          few(n.resumes) && few(data_.value_info.size()) && few(data_.state_info.size()) &&
                          few(data_.masks.size()) && few(data_.cursors.size()) && few(data_.signals.size()) &&
                          few(m.planes.size()) && few(m.warps.size()) && few(m.pace_groups.size()) &&
                          few(m.carried.size()) && few(data_.mark_names.size()) && few(data_.span_names.size()) &&
                          few(data_.number_tracks.size()) && few(m.motions.size()) && data_.feet.legs.size() <= 255;
        return own && most && data_.parameters.size() <= slots_ && !data_.layers.empty() &&
               data_.layers.size() <= most_layers && n.computed <= slots_ && n.resumes <= data_.states.size();
    }

    [[nodiscard]] bool rig() const {
        for (std::size_t j = 0; j < joints_; ++j) {
            const Joint& joint = data_.rig.joints[j];
            if (joint.parent < -1 || joint.parent >= int(j)) { return false; }
            const Quat& q = joint.rest.rotation;
            if (!is_near(joint.rest.translation) || !is_near(joint.rest.scale) || !(std::fabs(dot(q, q) - 1) < 1e-2F) ||
                !all_of(std::span(joint.inverse_bind.elements), [](float e) { return is_near(double(e)); })) {
                return false;
            }
        }
        for (std::size_t m = 0; m < data_.moved.size(); ++m) {
            const MovedJoint& moved = data_.moved[m];
            const bool rows = moved.row == 4 || (moved.row == 7 && data_.scales);
            const bool rises = m == 0 || std::pair(data_.moved[m - 1].joint, data_.moved[m - 1].row) <
                                             std::pair(moved.joint, moved.row);
            if (!rows || !rises || !fits(moved.joint, joints_) ||
                !all_of(moved.rest, [](float r) { return is_near(double(r)); })) {
                return false;
            }
        }
        std::size_t last = joints_;
        return all_of(data_.joints_at, [&](std::uint16_t count) {
            const bool falls = count >= 1 && count <= last;
            last = count;
            return falls;
        });
    }

    [[nodiscard]] bool moves(std::uint16_t moved, std::uint16_t joint, std::uint16_t row) const {
        return fits(moved, data_.moved.size()) && data_.moved[moved].joint == joint && data_.moved[moved].row == row;
    }
    [[nodiscard]] bool rows(const SparseRows& rows, std::uint16_t row, std::size_t frames) const {
        if (rows.joints.empty()) { return rows.values.empty() && rows.moved.empty(); }
        if (rows.frames != frames || rows.moved.size() != rows.joints.size() ||
            rows.values.size() != frames * 4 * rows.joints.size()) {
            return false;
        }
        for (std::size_t i = 0; i < rows.joints.size(); ++i) {
            if (!moves(rows.moved[i], rows.joints[i], row)) { return false; }
        }
        return all_of(rows.values, [](float v) { return is_near(double(v)); });
    }
    [[nodiscard]] bool clip(const SampledClip& c) const {
        constexpr std::uint32_t most_intervals = 100'000'000;
        if (c.intervals > most_intervals || c.stride != lanes_ || !is_within(c.seconds, 0, longest_clip)) {
            return false;
        }
        const std::size_t frames = c.intervals + std::size_t{1};
        constexpr float most = 16; // of a quaternion 1, of a rotation vector a turn
        const auto numbers = c.rotations.all();
        // Four sums rather than a question a number.
        bool all_small = numbers.size() == frames * 4 * lanes_;
        float greatest = 0;
        for (const float value : numbers) { greatest = std::fabs(value) <= greatest ? greatest : std::fabs(value); }
        all_small = all_small && greatest <= most;
        const bool signs = c.odd_signs.empty() || (c.odd_signs.size() == lanes_ &&
                                                   all_of(c.odd_signs, [](float s) { return s == 1 || s == -1; }));
        if (!all_small || !signs || !rows(c.moving_translations, 4, frames) || !rows(c.still_translations, 4, 1) ||
            !rows(c.moving_scales, 7, frames) || !rows(c.still_scales, 7, 1)) {
            return false;
        }
        const bool steps = all_of(c.steps, [&](const StepTrack& s) {
            const bool placed = s.target == StepTrack::Target::rotation
                                    ? fits(s.joint, joints_)
                                    : moves(s.moved, s.joint, s.target == StepTrack::Target::scale ? 7 : 4);
            return placed && !s.times.empty() && s.times.size() == s.values.size() &&
                   std::is_sorted(s.times.begin(), s.times.end()) &&
                   all_of(s.times, [](float t) { return is_near(double(t)); }) &&
                   all_of(s.values, [](const auto& values) {
                       return all_of(values, [](float v) { return is_near(double(v)); });
                   });
        });
        const bool way = is_near(c.travel.cycle) && c.travel.path.size() != 1 &&
                         (!c.travel.travels || c.loops || c.travel.path.size() >= 2) &&
                         all_of(c.travel.path, [](const BodyStep& s) { return is_near(s); });
        return steps && way && all_of(c.numbers, [&](const NumberRow& row) {
                   return fits(row.number, data_.number_tracks.size()) && row.values.size() >= 2 &&
                          all_of(row.values, [](float v) { return is_near(double(v)); });
               });
    }

    /// Whether a run of the code leaves one value, within its room, and reads nothing that is not there.
    [[nodiscard]] bool code(CodeRange range) {
        if (!range_fits(range.first, range.count, data_.code.size())) { return false; }
        // Long runs that overlap would take for ever to look at.
        constexpr std::size_t most_looked_at = 5'000'000;
        looked_at_ += range.count;
        if (looked_at_ > most_looked_at) { return false; }
        int depth = 0;
        for (const Instruction& instruction : data_.instructions(range)) {
            const OperationInfo& info = info_of(instruction.operation);
            const bool reads_slot = !reads_parameter(instruction) || fits(instruction.slot, slots_);
            const bool reads_state =
                instruction.operation != Operation::reading || instruction.slot < reading_names.size();
            if (!reads_slot || !reads_state || !std::isfinite(instruction.value) || depth < info.values) {
                return false;
            }
            depth += 1 - info.values;
            if (depth > expression_stack) { return false; }
        }
        return range.empty() || depth == 1;
    }

    [[nodiscard]] bool inputs() {
        const std::size_t count = data_.parameters.size();
        for (const ParameterInfo& p : data_.parameters) {
            const bool range = p.low <= p.high && p.default_value >= p.low && p.default_value <= p.high &&
                               std::isfinite(p.default_value);
            const bool choice = p.kind != ParameterKind::choice ||
                                (!p.of.empty() && p.low >= 0 && double(p.high) <= double(p.of.size() - 1));
            if (!range || !choice || !is_time(double(p.smooth)) || !is_within(double(p.at_most), 0, 1e30) ||
                !is_time(double(p.keep)) || !is_time(double(p.wait))) {
                return false;
            }
        }
        if (data_.smoothed_of.size() != count || data_.signal_of.size() < count || data_.signal_of.size() > slots_) {
            return false;
        }
        for (std::size_t p = 0; p < count; ++p) {
            const std::uint16_t follows = data_.smoothed_of[p];
            if (!fits_or_none(follows, data_.smoothed.size())) { return false; }
            if (follows != no_index && data_.smoothed[follows] != p) { return false; }
            const bool signal = data_.parameters[p].kind == ParameterKind::signal && !data_.parameters[p].computed;
            if (signal && data_.signal_of[p] == no_index) { return false; }
        }
        if (!all_of(data_.signal_of, [&](std::uint16_t s) { return fits_or_none(s, data_.signals.size()); }) ||
            !all_of(data_.smoothed, [&](std::uint16_t p) { return fits(p, count); }) ||
            !all_of(data_.signals, [&](const CompiledSignal& s) {
                return fits(s.slot, slots_) && is_time(s.keep) && is_time(s.wait);
            })) {
            return false;
        }
        const bool computed = all_of(data_.computed, [&](const ComputedParameter& c) {
            const bool state = c.source != ParameterSource::layer_state || fits(c.node, data_.states.size());
            const bool reading = c.source != ParameterSource::layer_reading || c.node < reading_names.size();
            return fits(c.slot, slots_) && fits(c.layer, data_.layers.size()) && state && reading && code(c.value) &&
                   code(c.only_while) && code(c.clear);
        });
        return computed && all_of(data_.cursors, [&](const CompiledCursor& c) {
                   return fits(c.number, count) && fits(c.angle, count) && is_time(c.smooth) &&
                          is_within(c.at_most, 0, 1e30);
               });
    }

    [[nodiscard]] bool masks() const {
        return all_of(data_.masks, [&](const AlignedFloats& mask) {
            return mask.size() == lanes_ && all_of(mask, [](float w) { return is_within(double(w), 0, 1); });
        });
    }

    [[nodiscard]] bool is_above(int above, int joint) const {
        while (joint > above) { joint = data_.rig.joints[std::size_t(joint)].parent; }
        return joint == above;
    }
    [[nodiscard]] bool feet() {
        const CompiledFeet& feet = data_.feet;
        const bool legs = all_of(feet.legs, [&](const CompiledLeg& leg) {
            const bool there = fits(leg.hip, joints_) && fits(leg.knee, joints_) && fits(leg.ankle, joints_) &&
                               fits(leg.toes, joints_);
            return there && leg.hip != leg.knee && leg.knee != leg.ankle && is_above(leg.hip, leg.knee) &&
                   is_above(leg.knee, leg.ankle) && is_above(leg.ankle, leg.toes) && is_near(leg.heel) &&
                   is_near(leg.ball) && is_near(double(leg.ground)) && is_near(double(leg.ball_height)) &&
                   is_near(leg.knee_axis) && (feet.hips < 0 || is_above(feet.hips, leg.hip));
        });
        return legs && feet.hips >= -1 && feet.hips < int(joints_) && code(feet.planted) &&
               is_within(feet.most, 0, 1e6) && is_time(feet.release);
    }

    /// Whether a part of a motion can be weighed: nothing in it is missing, and it does not go on for ever.
    [[nodiscard]] bool part(std::uint32_t index, const Motion& motion, int depth) {
        constexpr std::size_t most_visits = 200'000; // over all motions, copies of a place counted again
        const MotionTable& table = data_.motions;
        if (!fits(index, table.parts.size()) || depth > deepest_motion || ++visits_ > most_visits) { return false; }
        const MotionPart& p = table.parts[index];
        const auto points = [&] {
            if (p.count < 1 || !range_fits(p.first, p.count, table.points.size())) { return false; }
            for (std::uint32_t i = 0; i < p.count; ++i) {
                if (!part(table.points[p.first + i].part, motion, depth + 1)) { return false; }
            }
            return true;
        };
        const auto entries = [&](std::uint32_t least) {
            if (p.count < least || !range_fits(p.first, p.count, table.entries.size())) { return false; }
            for (std::uint32_t i = 0; i < p.count; ++i) {
                const MixEntry& e = table.entries[p.first + i];
                if (!fits_or_none(e.term, motion.term_count) || e.channel > motion.channel_count ||
                    !part(e.part, motion, depth + 1)) {
                    return false;
                }
            }
            return true;
        };
        const auto paced = [&] {
            if (p.carried == no_index) { return true; }
            return fits(p.carried, table.carried.size()) && table.carried[p.carried].own.size() == p.count &&
                   p.pace_group >= 1 && p.pace_group <= table.pace_groups.size();
        };
        switch (p.kind) {
        case PartKind::leaf:
            return p.leaf < motion.leaf_count;
        case PartKind::line: {
            if (!fits(p.parameter, slots_) || !paced() || p.count > most_things || !points()) { return false; }
            double last = -farthest;
            for (std::uint32_t i = 0; i < p.count; ++i) {
                const double at = table.points[p.first + i].at;
                if (!is_within(at, last, farthest)) { return false; }
                last = at;
            }
            return true;
        }
        case PartKind::plane:
            return fits(p.parameter, slots_) && fits(p.second, slots_) &&
                   fits_or_none(p.cursor, data_.cursors.size()) && fits(p.plane, table.planes.size()) &&
                   table.planes[p.plane].sites().size() == p.count && is_near(p.scale_x) && is_near(p.scale_y) &&
                   paced() && points();
        case PartKind::mix:
            return entries(1);
        case PartKind::add:
            return entries(2);
        case PartKind::shared:
            return points();
        }
        return false;
    }

    [[nodiscard]] bool motions() {
        const MotionTable& table = data_.motions;
        for (const PaceGroup& group : table.pace_groups) {
            if (!fits(group.parameter, slots_) || !fits_or_none(group.cursor, data_.cursors.size()) ||
                !is_within(group.slowest, 1e-3, 100) || !is_within(group.fastest, group.slowest, 100)) {
                return false;
            }
        }
        for (const CarriedTable& carried : table.carried) {
            const auto near = [](PlanePoint p) { return is_near(p); };
            if (carried.own.size() > most_things ||
                carried.pair_corrections.size() != carried.own.size() * carried.own.size() ||
                !all_of(carried.own, near) || !all_of(carried.pair_corrections, near)) {
                return false;
            }
        }
        for (const Term& term : table.terms) {
            if (!code(term.weight) || !is_time(term.fade)) { return false; }
        }
        if (data_.clip_events.size() != data_.clips.size()) { return false; }
        constexpr double fastest = 1e6;
        for (const Leaf& leaf : table.leaves) {
            const auto is_rate = [](double rate) { return is_within(rate, 0, fastest); };
            if (!fits(leaf.clip, data_.clips.size()) || !fits_or_none(leaf.additive, data_.additives.size()) ||
                !fits_or_none(leaf.warp, table.warps.size()) || leaf.pace_group > table.pace_groups.size() ||
                leaf.strides < 1 || !is_rate(leaf.rate) || !is_rate(leaf.cadence) || !is_time(leaf.stride_seconds) ||
                !is_near(leaf.speed_right) || !is_near(leaf.speed_ahead) || !code(leaf.pace)) {
                return false;
            }
        }
        return all_of(table.motions, [&](const Motion& m) { return motion(m); }) && events();
    }

    [[nodiscard]] bool motion(const Motion& m) {
        const MotionTable& table = data_.motions;
        if (!range_fits(m.first_leaf, m.leaf_count, table.leaves.size()) || m.leaf_count > most_things ||
            !range_fits(m.first_term, m.term_count, table.terms.size()) || m.term_count > most_things ||
            !range_fits(m.first_channel, m.channel_count, table.channels.size()) || m.channel_count > most_channels ||
            m.most_playing > most_playing || (m.leaf_count > 0 && m.most_playing < 1)) {
            return false;
        }
        for (std::size_t c = 0; c < m.channel_count; ++c) {
            const Channel& channel = table.channels[m.first_channel + c];
            // Its number is one more than its place.
            if (channel.parent > c || !fits_or_none(channel.mask, data_.masks.size()) ||
                !range_fits(channel.first_entry, channel.entry_count, table.entries.size())) {
                return false;
            }
            for (std::size_t e = 0; e < channel.entry_count; ++e) {
                const MixEntry& entry = table.entries[channel.first_entry + e];
                if (!fits_or_none(entry.term, m.term_count) || !fits_or_none(entry.mask, data_.masks.size())) {
                    return false;
                }
            }
        }
        for (const Leaf& leaf : table.leaves_of(m)) {
            if (leaf.channel > m.channel_count) { return false; }
        }
        return m.nothing ? m.leaf_count == 0 : m.leaf_count > 0 && part(m.root, m, 0);
    }

    [[nodiscard]] bool events() const {
        const auto is_place = [](double at) { return is_within(at, -1e6, 1e6); };
        return all_of(data_.clip_events, [&](const ClipEvents& e) {
            return std::is_sorted(e.marks.begin(), e.marks.end(),
                                  [](const PlacedMark& a, const PlacedMark& b) { return a.at < b.at; }) &&
                   all_of(
                       e.marks,
                       [&](const PlacedMark& m) { return fits(m.mark, data_.mark_names.size()) && is_place(m.at); }) &&
                   all_of(e.spans,
                          [&](const PlacedSpan& s) {
                              return fits(s.span, data_.span_names.size()) && is_place(s.from) && is_place(s.to);
                          }) &&
                   all_of(e.footfalls, [&](const Footfall& f) { return f.foot <= 1 && is_place(f.at); }) &&
                   all_of(e.downs, [&](const FootDown& d) { return is_place(d.from) && is_place(d.to); });
        });
    }

    [[nodiscard]] bool in_layer(std::uint16_t node, std::uint8_t layer) const {
        return fits(node, data_.states.size()) && data_.states[node].layer == layer;
    }
    /// Whether a node stands right inside another.
    [[nodiscard]] bool is_child(std::uint16_t child, std::size_t node) const {
        return fits(child, data_.states.size()) && data_.states[child].parent == node;
    }

    [[nodiscard]] bool state(std::size_t index) const {
        const CompiledState& s = data_.states[index];
        const bool placed = s.parent == no_index ? s.level == 0
                                                 : s.parent < index && data_.states[s.parent].layer == s.layer &&
                                                       data_.states[s.parent].level + 1 == s.level &&
                                                       data_.states[s.parent].kind != NodeKind::motion;
        const bool ranges = range_fits(s.transitions.first, s.transitions.count, data_.transitions.size()) &&
                            range_fits(s.leads.first, s.leads.count, data_.leads.size());
        if (!placed || !ranges || !fits(s.layer, data_.layers.size()) || s.level >= most_levels ||
            !fits(s.visible, data_.state_info.size()) || data_.state_info[s.visible].layer != s.layer ||
            !fits_or_none(s.resume, data_.needs.resumes)) {
            return false;
        }
        for (std::size_t t = 0; t < s.transitions.count; ++t) {
            if (!in_layer(data_.transitions[s.transitions.first + t].target, s.layer)) { return false; }
        }
        for (std::size_t l = 0; l < s.leads.count; ++l) {
            const std::uint16_t target = data_.leads[s.leads.first + l].target;
            if (!fits(target, data_.states.size()) || data_.states[target].layer == s.layer) { return false; }
        }
        switch (s.kind) {
        case NodeKind::motion: {
            if (!fits(s.motion, data_.motions.motions.size())) { return false; }
            const Motion& motion = data_.motions.motions[s.motion];
            const LayerNeeds& needs = data_.layers[s.layer].needs;
            return motion.term_count <= needs.terms && motion.most_playing <= needs.playing &&
                   s.facts.first_leaf == motion.first_leaf && s.facts.nothing == motion.nothing;
        }
        case NodeKind::machine:
            return is_child(s.start, index);
        case NodeKind::pick:
            return fits(s.selector, data_.picks.size()) &&
                   all_of(data_.picks[s.selector].entries,
                          [&](const CompiledPickEntry& e) { return is_child(e.node, index); });
        case NodeKind::choose:
            return fits(s.selector, data_.chooses.size()) &&
                   all_of(data_.chooses[s.selector].nodes, [&](std::uint16_t n) { return is_child(n, index); });
        }
        return false;
    }

    [[nodiscard]] bool is_record(std::uint16_t record) const {
        return fits_or_none(record, data_.transition_info.size());
    }

    [[nodiscard]] bool transition(const CompiledTransition& t) {
        return fits_or_none(t.signal, data_.signals.size()) && fits_or_none(t.mark, data_.mark_names.size()) &&
               fits_or_none(t.span, data_.span_names.size()) && code(t.when) && code(t.fade_by) && is_time(t.after) &&
               is_time(t.after_more) && is_fade(t.fade) && is_within(t.enter_fraction, 0, 1) &&
               fits_or_none(t.enter_mark, data_.mark_names.size()) &&
               range_fits(t.first_threshold, t.threshold_count, data_.thresholds.size());
    }

    [[nodiscard]] bool machine() {
        if (data_.transition_info.size() < data_.transitions.size()) { return false; }
        for (std::size_t s = 0; s < data_.states.size(); ++s) {
            if (!state(s)) { return false; }
        }
        // What people see has a node that is it, the first of those with its number.
        std::vector<char> seen(data_.state_info.size(), 0);
        for (const CompiledState& s : data_.states) { seen[s.visible] = 1; }
        if (!all_of(seen, [](char is) { return is != 0; })) { return false; }
        const bool picks = all_of(data_.picks, [&](const CompiledPick& p) {
            constexpr int most_loops = 1'000'000;
            const bool some = p.entries.size() >= (p.between ? 2U : 1U) && p.count() <= 64;
            return some && is_record(p.record) && all_of(p.entries, [&](const CompiledPickEntry& e) {
                       return is_within(e.share, 0, 1e9) && e.least_loops >= 1 && e.greatest_loops >= e.least_loops &&
                              e.greatest_loops <= most_loops && is_fade(e.fade);
                   });
        });
        const bool chooses = all_of(data_.chooses, [&](const CompiledChoose& c) {
            const bool paired = c.by != no_index ? fits(c.by, slots_) : c.when.size() == c.nodes.size();
            return !c.nodes.empty() && paired && is_fade(c.fade) && is_record(c.record) &&
                   all_of(c.when, [&](CodeRange when) { return code(when); });
        });
        const bool ways = all_of(data_.transitions, [&](const CompiledTransition& t) { return transition(t); }) &&
                          all_of(data_.thresholds, [](const Threshold& t) { return is_near(double(t.value)); });
        const bool leads = all_of(data_.leads, [&](const CompiledLead& l) {
            return fits(l.target, data_.states.size()) && code(l.when) && is_fade(l.fade) && is_record(l.record);
        });
        const bool forbids = all_of(data_.forbidden, [&](const CompiledForbid& f) {
            if (!fits(f.yields, data_.states.size()) || !fits(f.rules, data_.states.size())) { return false; }
            const std::uint8_t layer = data_.states[f.yields].layer;
            return layer != data_.states[f.rules].layer && in_layer(f.to, layer) && code(f.when) && is_fade(f.fade) &&
                   is_record(f.record);
        });
        const std::size_t values = data_.states.size() * data_.value_info.size();
        return picks && chooses && ways && leads && forbids && data_.state_values.size() == values &&
               data_.state_gives.size() == values &&
               all_of(data_.state_values, [](float v) { return std::isfinite(v); }) &&
               all_of(data_.state_gives, [](std::uint8_t gives) { return gives <= 1; });
    }

    [[nodiscard]] bool layers() {
        for (std::size_t l = 0; l < data_.layers.size(); ++l) {
            const CompiledLayer& own = data_.layers[l];
            const LayerNeeds &needs = own.needs, &said = data_.needs.layers[l];
            const bool same = needs.terms == said.terms && needs.playing == said.playing &&
                              needs.first_joint == said.first_joint && needs.last_joint == said.last_joint &&
                              needs.in_model == said.in_model && needs.in_model == (own.space == LayerSpace::model);
            const bool reach = needs.first_joint <= needs.last_joint && needs.last_joint <= joints_;
            const bool alike = own.in_step_with == no_index || own.in_step_with < l;
            if (!same || !reach || !alike || needs.terms > most_things || needs.playing > most_playing ||
                !in_layer(own.start, std::uint8_t(l)) || data_.states[own.start].parent != no_index ||
                !fits_or_none(own.mask, data_.masks.size()) || !code(own.weight.weight) || !is_time(own.weight.fade) ||
                !fits(own.step_group, data_.layers.size()) ||
                (own.space == LayerSpace::model && joints_ > most_model_joints)) {
                return false;
            }
        }
        std::vector<char> decides(data_.layers.size(), 0);
        if (data_.decide_order.size() != data_.layers.size()) { return false; }
        for (const std::uint8_t layer : data_.decide_order) {
            if (!fits(layer, data_.layers.size()) || decides[layer] != 0) { return false; }
            decides[layer] = 1;
        }
        return true;
    }

    [[nodiscard]] bool told() const {
        for (std::size_t s = 0; s < data_.state_info.size(); ++s) {
            const StateInfo& info = data_.state_info[s];
            if (!fits(info.layer, data_.layers.size()) || (info.parent != no_index && info.parent >= s)) {
                return false;
            }
        }
        const bool ways = all_of(data_.transition_info, [&](const TransitionInfo& t) {
            return fits_or_none(t.from, data_.state_info.size()) && fits(t.to, data_.state_info.size()) &&
                   is_fade(t.fade);
        });
        const bool values = all_of(data_.value_info, [](const ValueInfo& v) {
            return std::isfinite(v.default_value) && (v.kind != ParameterKind::choice || !v.of.empty());
        });
        return ways && values && data_.layer_info.size() == data_.layers.size() &&
               data_.clip_info.size() == data_.clips.size() && all_of(data_.layer_info, [&](const LayerInfo& l) {
                   return l.mask_weights.empty() || l.mask_weights.size() == joints_;
               });
    }

    const CharacterData& data_;
    std::size_t joints_, lanes_;
    std::size_t slots_; ///< parameters, and what is computed beside them
    std::size_t looked_at_ = 0, visits_ = 0;
};

} // namespace

std::string fault_of(const CharacterData& data) { return PackCheck(data).run(); }

} // namespace gait::detail
