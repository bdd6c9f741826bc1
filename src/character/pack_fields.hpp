/// What a packed character holds of each struct, field by field. A struct that gets another field does not compile here
/// until it is said whether that is packed.
#pragma once

#include "character/character_data.hpp"

#include <concepts>
#include <type_traits>

namespace gait::detail {

template <typename Value, typename Struct>
concept As = std::same_as<std::remove_const_t<Value>, Struct>;

// Of the public headers.

template <As<Vec3> T, typename V> void fields(T& s, V visit) { visit(s.x, s.y, s.z); }
template <As<Quat> T, typename V> void fields(T& s, V visit) { visit(s.x, s.y, s.z, s.w); }
template <As<Transform> T, typename V> void fields(T& s, V visit) {
    auto& [rotation, translation, scale] = s;
    visit(rotation, translation, scale);
}
template <As<Matrix4> T, typename V> void fields(T& s, V visit) {
    for (auto& element : s.elements) { visit(element); }
}
template <As<Joint> T, typename V> void fields(T& s, V visit) {
    auto& [name, parent, rest, inverse_bind, in_skin] = s;
    visit(name, parent, rest, inverse_bind, in_skin);
}
template <As<Rig> T, typename V> void fields(T& s, V visit) {
    auto& [name, joints] = s;
    visit(name, joints);
}
template <As<ParameterInfo> T, typename V> void fields(T& s, V visit) {
    auto& [name, kind, low, high, default_value, smooth, at_most, keep, wait, of, computed, unit, note, tune] = s;
    visit(name, kind, low, high, default_value, smooth, at_most, keep, wait, of, computed, tune);
}
template <As<LayerInfo> T, typename V> void fields(T& s, V visit) {
    auto& [name, mask, weight, mode, space, in_step_with, one_shots, mask_weights] = s;
    visit(name, mode, space, one_shots, mask_weights);
}
template <As<StateInfo> T, typename V> void fields(T& s, V visit) {
    auto& [name, parent, layer, machine, nothing, place] = s;
    visit(name, parent, layer, machine, nothing);
}
template <As<TransitionInfo> T, typename V> void fields(T& s, V visit) {
    auto& [kind, from, to, when, condition, fade, fade_by, ease, style, place] = s;
    visit(kind, from, to, fade, ease, style);
}
template <As<ValueInfo> T, typename V> void fields(T& s, V visit) {
    auto& [name, kind, of, default_value, at_middle, unit, note] = s;
    visit(name, kind, of, default_value, at_middle);
}
template <As<GroundPlace> T, typename V> void fields(T& s, V visit) {
    auto& [x, y, z, heading] = s;
    visit(x, y, z, heading);
}
template <As<ClipInfo> T, typename V> void fields(T& s, V visit) {
    auto& [name, seconds, loops, intervals, bytes, travels, way] = s;
    visit(name, seconds, loops, intervals, bytes, travels, way);
}
template <As<Place> T, typename V> void fields(T& s, V visit) {
    auto& [line, column, file] = s;
    visit(line, column, file);
}

// Expressions.

template <As<CodeRange> T, typename V> void fields(T& s, V visit) {
    auto& [first, count] = s;
    visit(first, count);
}
template <As<Instruction> T, typename V> void fields(T& s, V visit) {
    auto& [operation, slot, value] = s;
    visit(operation, slot, value);
}
template <As<ExpressionName> T, typename V> void fields(T& s, V visit) {
    auto& [name, type, angle, values, signed_number] = s;
    visit(name, type, angle, values, signed_number);
}
template <As<ExpressionNames> T, typename V> void fields(T& s, V visit) {
    auto& [parameters, layers, layer_slots, by_name, found_by_name] = s;
    visit(parameters, layers, layer_slots);
}

// Clips. The samples' rotations stand in a part of their own.

template <As<SparseRows> T, typename V> void fields(T& s, V visit) {
    auto& [joints, frames, values, moved] = s;
    visit(joints, frames, values, moved);
}
template <As<StepTrack> T, typename V> void fields(T& s, V visit) {
    auto& [joint, target, moved, times, values] = s;
    visit(joint, target, moved, times, values);
}
template <As<NumberRow> T, typename V> void fields(T& s, V visit) {
    auto& [number, values] = s;
    visit(number, values);
}
template <As<BodyStep> T, typename V> void fields(T& s, V visit) {
    auto& [x, y, z, yaw] = s;
    visit(x, y, z, yaw);
}
template <As<TravelPath> T, typename V> void fields(T& s, V visit) {
    auto& [travels, cycle, path] = s;
    visit(travels, cycle, path);
}
template <As<SampledClip> T, typename V> void fields(T& s, V visit) {
    auto& [name, seconds, loops, intervals, stride, rotations, odd_signs, keeps_side, steps, moving_translations,
           still_translations, moving_scales, still_scales, travel, numbers] = s;
    visit(name, seconds, loops, intervals, stride, rotations, odd_signs, keeps_side, steps, moving_translations,
          still_translations, moving_scales, still_scales, travel, numbers);
}
template <As<Footfall> T, typename V> void fields(T& s, V visit) {
    auto& [foot, at] = s;
    visit(foot, at);
}
template <As<PlacedMark> T, typename V> void fields(T& s, V visit) {
    auto& [mark, at] = s;
    visit(mark, at);
}
template <As<PlacedSpan> T, typename V> void fields(T& s, V visit) {
    auto& [span, from, to] = s;
    visit(span, from, to);
}
template <As<FootDown> T, typename V> void fields(T& s, V visit) {
    auto& [leg, from, to] = s;
    visit(leg, from, to);
}
template <As<ClipEvents> T, typename V> void fields(T& s, V visit) {
    auto& [marks, spans, footfalls, downs] = s;
    visit(marks, spans, footfalls, downs);
}

// Motions.

template <As<PlanePoint> T, typename V> void fields(T& s, V visit) {
    auto& [x, y] = s;
    visit(x, y);
}
template <As<Stretch> T, typename V> void fields(T& s, V visit) {
    auto& [from, to] = s;
    visit(from, to);
}
template <As<Leaf> T, typename V> void fields(T& s, V visit) {
    // Where its numbers are is found as it is opened.
    auto& [sampled, frames, loops, synced, leads, channel, additive, warp, clip, pace_group, strides, has_events,
           adds_nothing, keeps_time, rate, cadence, stride_seconds, speed_right, speed_ahead, pace, moving, moving_at,
           moments, phase_moments, cycles_a_stride] = s;
    visit(loops, synced, leads, channel, additive, warp, clip, pace_group, strides, has_events, adds_nothing,
          keeps_time, rate, cadence, stride_seconds, speed_right, speed_ahead, pace);
}
template <As<MotionPart> T, typename V> void fields(T& s, V visit) {
    auto& [kind, wraps, leaf, parameter, second, cursor, plane, carried, pace_group, scale_x, scale_y, first, count] =
        s;
    visit(kind, wraps, leaf, parameter, second, cursor, plane, carried, pace_group, scale_x, scale_y, first, count);
}
template <As<BlendPoint> T, typename V> void fields(T& s, V visit) {
    auto& [at, part] = s;
    visit(at, part);
}
template <As<MixEntry> T, typename V> void fields(T& s, V visit) {
    auto& [part, term, mask, channel] = s;
    visit(part, term, mask, channel);
}
template <As<Channel> T, typename V> void fields(T& s, V visit) {
    auto& [parent, mask, first_entry, entry_count, rest] = s;
    visit(parent, mask, first_entry, entry_count, rest);
}
template <As<Term> T, typename V> void fields(T& s, V visit) {
    auto& [weight, fade] = s;
    visit(weight, fade);
}
template <As<PaceGroup> T, typename V> void fields(T& s, V visit) {
    auto& [parameter, cursor, slowest, fastest] = s;
    visit(parameter, cursor, slowest, fastest);
}
template <As<CarriedTable> T, typename V> void fields(T& s, V visit) {
    auto& [own, pair_corrections] = s;
    visit(own, pair_corrections);
}
template <As<Motion> T, typename V> void fields(T& s, V visit) {
    auto& [root, first_leaf, leaf_count, first_term, term_count, first_channel, channel_count, nothing, synced, paced,
           most_playing] = s;
    visit(root, first_leaf, leaf_count, first_term, term_count, first_channel, channel_count, nothing, synced, paced,
          most_playing);
}
template <As<MotionTable> T, typename V> void fields(T& s, V visit) {
    auto& [motions, parts, points, entries, planes, leaves, warps, evenly, terms, channels, pace_groups, carried] = s;
    visit(motions, parts, points, entries, planes, leaves, warps, terms, channels, pace_groups, carried);
}

// The machine.

template <As<IndexRange> T, typename V> void fields(T& s, V visit) {
    auto& [first, count] = s;
    visit(first, count);
}
template <As<Threshold> T, typename V> void fields(T& s, V visit) {
    auto& [reading, value] = s;
    visit(reading, value);
}
template <As<CompiledTransition> T, typename V> void fields(T& s, V visit) {
    auto& [target, signal, mark, span, draws_as, when, reads_state, at_end, not_again, settle, after, after_more, fade,
           fade_by, ease, style, enter_at, enter_fraction, enter_mark, first_threshold, threshold_count, reads,
           by_values] = s;
    visit(target, signal, mark, span, draws_as, when, reads_state, at_end, not_again, settle, after, after_more, fade,
          fade_by, ease, style, enter_at, enter_fraction, enter_mark, first_threshold, threshold_count, reads,
          by_values);
}
template <As<StateFacts> T, typename V> void fields(T& s, V visit) {
    auto& [decides, synced, only_phase, endless, plain, masked, poll_every_step, poll_signals, poll_uneven, may_yield,
           nothing, moves_body, keeps_side, first_leaf, reads] = s;
    visit(decides, synced, only_phase, endless, plain, masked, poll_every_step, poll_signals, poll_uneven, may_yield,
          nothing, first_leaf, reads);
}
template <As<CompiledState> T, typename V> void fields(T& s, V visit) {
    auto& [kind, layer, level, game_moves, whole_body, takes_travel, live_inputs, final, parent, visible, motion,
           shared_motion, start, starts_here, resume, selector, transitions, leads, timed, timed_reads, facts] = s;
    visit(kind, layer, level, game_moves, whole_body, takes_travel, live_inputs, final, parent, visible, motion,
          shared_motion, start, starts_here, resume, selector, transitions, leads, facts);
}
template <As<CompiledLead> T, typename V> void fields(T& s, V visit) {
    auto& [target, when, fade, record] = s;
    visit(target, when, fade, record);
}
template <As<CompiledForbid> T, typename V> void fields(T& s, V visit) {
    auto& [yields, rules, when, to, fade, record] = s;
    visit(yields, rules, when, to, fade, record);
}
template <As<LayerNeeds> T, typename V> void fields(T& s, V visit) {
    auto& [terms, playing, first_joint, last_joint, in_model] = s;
    visit(terms, playing, first_joint, last_joint, in_model);
}
template <As<CompiledLayer> T, typename V> void fields(T& s, V visit) {
    auto& [name, start, mask, weight, mode, space, takes_travel, has_nothing, has_whole_body, has_terms, has_synced,
           has_live_weights, follows_left, yields, may_hide, joins, moves, carries, in_step_with, gives_step,
           step_group, needs] = s;
    visit(name, start, mask, weight, mode, space, takes_travel, has_nothing, has_whole_body, has_terms,
          has_live_weights, follows_left, yields, may_hide, joins, moves, in_step_with, gives_step, step_group, needs);
}
template <As<CompiledPickEntry> T, typename V> void fields(T& s, V visit) {
    auto& [node, share, least_loops, greatest_loops, fade] = s;
    visit(node, share, least_loops, greatest_loops, fade);
}
template <As<CompiledPick> T, typename V> void fields(T& s, V visit) {
    auto& [order, entries, between, record] = s;
    visit(order, entries, between, record);
}
template <As<CompiledChoose> T, typename V> void fields(T& s, V visit) {
    auto& [by, when, nodes, fade, record] = s;
    visit(by, when, nodes, fade, record);
}
template <As<ComputedParameter> T, typename V> void fields(T& s, V visit) {
    auto& [slot, source, value, only_while, clear, layer, by_values, counts_presses, node, reads] = s;
    visit(slot, source, value, only_while, clear, layer, by_values, counts_presses, node, reads);
}
template <As<CompiledSignal> T, typename V> void fields(T& s, V visit) {
    auto& [slot, keep, wait] = s;
    visit(slot, keep, wait);
}
template <As<CompiledCursor> T, typename V> void fields(T& s, V visit) {
    auto& [number, angle, smooth, at_most] = s;
    visit(number, angle, smooth, at_most);
}
template <As<MovedJoint> T, typename V> void fields(T& s, V visit) {
    auto& [joint, row, rest] = s;
    visit(joint, row, rest);
}
template <As<CompiledLeg> T, typename V> void fields(T& s, V visit) {
    auto& [hip, knee, ankle, toes, heel, ball, ground, ball_height, knee_axis] = s;
    visit(hip, knee, ankle, toes, heel, ball, ground, ball_height, knee_axis);
}
template <As<CompiledFeet> T, typename V> void fields(T& s, V visit) {
    auto& [legs, planted, most, release, hips] = s;
    visit(legs, planted, most, release, hips);
}
template <As<PerformerNeeds> T, typename V> void fields(T& s, V visit) {
    auto& [joints, parameters, smoothed, computed, signals, picks, resumes, values, cursors, moved, legs, details,
           scales, layers] = s;
    visit(joints, parameters, smoothed, computed, signals, picks, resumes, values, cursors, moved, legs, details,
          scales, layers);
}
template <As<CharacterData> T, typename V> void fields(T& s, V visit) {
    auto& [memory, rig, rest, moved, moved_before, parents, level_order, inverse_bind, travels, scales, clips,
           number_tracks, parameters, motions, additives, masks, cursors, weights_read, feet, code, computed, timed,
           ticking, edges, computed_reads, cursors_read, signals, signal_of, smoothed, smoothed_of, states, transitions,
           timed_transitions, thresholds, picks, chooses, clip_events, state_values, state_gives, leads, forbidden,
           layers, decide_order, decisions_read, some_layer_hides, needs, layout, has_details, joints_at, fingerprint,
           kept, layer_info, state_info, transition_info, value_info, mark_names, span_names, clip_info, notes] = s;
    // What follows from the rest is worked out anew: character/derive.hpp.
    visit(rig, moved, travels, scales, clips, number_tracks, parameters, motions, additives, masks, cursors,
          weights_read, feet, code, computed, signals, signal_of, smoothed, smoothed_of, states, transitions,
          thresholds, picks, chooses, clip_events, state_values, state_gives, leads, forbidden, layers, decide_order,
          some_layer_hides, has_details, joints_at, needs, layer_info, state_info, transition_info, value_info,
          mark_names, span_names, clip_info);
}

// Notes, for people: what a strict pack leaves out.

template <As<CharacterNotes::Remark> T, typename V> void fields(T& s, V visit) {
    auto& [place, code, message] = s;
    visit(place, code, message);
}
template <As<CharacterNotes> T, typename V> void fields(T& s, V visit) {
    auto& [remarks, forbid_conditions, blend_places, names] = s;
    visit(remarks, forbid_conditions, blend_places, names);
}
/// What the structs above leave out of the character itself.
template <As<CharacterData> T, typename V> void note_fields(T& s, V visit) {
    for (auto& parameter : s.parameters) { visit(parameter.unit, parameter.note); }
    for (auto& layer : s.layer_info) { visit(layer.mask, layer.weight, layer.in_step_with); }
    for (auto& state : s.state_info) { visit(state.place); }
    for (auto& transition : s.transition_info) {
        visit(transition.when, transition.condition, transition.fade_by, transition.place);
    }
    for (auto& value : s.value_info) { visit(value.unit, value.note); }
    visit(s.notes);
}

} // namespace gait::detail
