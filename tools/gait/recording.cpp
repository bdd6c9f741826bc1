#include "recording.hpp"

#include "perform/block_of.hpp"
#include "perform/values.hpp"

#include "gait/cue_player.hpp"
#include "output.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::tool {
namespace {

/// What a transition led to: how long it fades, and what begins to play by it.
Taken taken_by(const Performer& performer, const TransitionRecord& record) {
    const Character& character = performer.character();
    Taken taken;
    std::vector<float> smoothed, raw;
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        smoothed.push_back(performer.smoothed(NumberParameter{std::uint16_t(p)}));
        raw.push_back(performer.get(NumberParameter{std::uint16_t(p)}));
    }
    smoothed.push_back(0); // never of no length
    raw.push_back(0);
    const TransitionInfo& info = character.transitions()[record.transition];
    const detail::CharacterData& data = character.data();
    taken.fade = info.fade_by.empty()
                     ? info.fade
                     : data.fade_seconds(data.transitions[record.transition], {smoothed.data(), raw.data(), {}});
    std::vector<ClipView> clips(character.clips().size());
    for (std::size_t i = performer.instance_count(); i-- > 0;) {
        if (performer.instance(i).transition != record.transition) { continue; }
        clips.resize(std::min(character.clips().size(), performer.instance_clips(i, clips)));
        std::stable_sort(clips.begin(), clips.end(),
                         [](const ClipView& a, const ClipView& b) { return a.weight > b.weight; });
        for (const ClipView& clip : clips) {
            if (!clip.added && clip.weight > 0.01F) { taken.clips.push_back(clip.clip); }
        }
        break;
    }
    return taken;
}

RecordedFrame capture(const Performer& performer, Keeping keeping) {
    const Character& character = performer.character();
    RecordedFrame frame;
    frame.time = performer.time();
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        frame.set.push_back(performer.get(NumberParameter{std::uint16_t(p)}));
        frame.smoothed.push_back(performer.smoothed(NumberParameter{std::uint16_t(p)}));
    }
    for (std::size_t v = 0; v < character.values().size(); ++v) { frame.values.push_back(value_of(performer, v)); }
    frame.state = performer.state();
    for (std::size_t l = 0; l < character.layers().size(); ++l) {
        frame.states.push_back(performer.state(l));
        frame.layer_weights.push_back(performer.layer_weight(l));
        if (l > 0 && frame.layer_weights.back() > 0 && character.data().layers[l].mode == LayerMode::replace) {
            std::vector<float> counts(character.joint_count());
            performer.layer_weights(l, counts);
            frame.uncovered *= 1 - double(*std::min_element(counts.begin(), counts.end()));
        }
        if (!keeping.joint_weights) { continue; }
        frame.joint_weights.emplace_back(character.joint_count());
        performer.layer_weights(l, frame.joint_weights.back());
    }
    frame.instances.resize(character.layers().size());
    for (std::size_t l = 0; l < frame.instances.size(); ++l) {
        for (std::size_t i = 0; i < performer.instance_count(l); ++i) {
            RecordedInstance instance;
            instance.view = performer.instance(i, l);
            instance.clips.resize(character.clips().size());
            instance.clips.resize(std::min(instance.clips.size(), performer.instance_clips(i, instance.clips, l)));
            frame.instances[l].push_back(std::move(instance));
        }
    }
    if (keeping.poses) {
        frame.pose.resize(character.joint_count());
        performer.pose(frame.pose);
    }
    frame.cursor = blend_cursor(performer);
    return frame;
}

std::string csv_cell(const std::string& text) {
    if (text.find_first_of(",\"\n") == std::string::npos) { return text; }
    std::string out = "\"";
    for (const char c : text) { out += c == '"' ? "\"\"" : std::string(1, c); }
    return out + "\"";
}

/// About how many bytes are kept of a frame.
double bytes_of(const Character& character, Keeping keeping) {
    constexpr double a_clip = sizeof(ClipView), clips = 8, motions = 2; // that play at once
    const auto parameters = double(character.parameters().size()), layers = double(character.layers().size()),
               joints = double(character.joint_count());
    double bytes = keeping.rows ? 400 + 24 * parameters + 40 * layers : 0;
    if (keeping.frames) {
        bytes += double(sizeof(RecordedFrame)) + 8 * parameters + 64 * layers +
                 layers * motions * (double(sizeof(RecordedInstance)) + clips * a_clip);
        if (keeping.poses) { bytes += double(sizeof(Transform)) * joints; }
        if (keeping.joint_weights) { bytes += 4 * layers * joints; }
    }
    return bytes;
}

} // namespace

std::optional<std::string> too_much(const Character& character, double seconds, double frames_per_second,
                                    Keeping keeping) {
    constexpr double most_frames = 2'000'000, most_bytes = 4e9;
    const double frames = seconds * frames_per_second, bytes = frames * bytes_of(character, keeping);
    if (frames > most_frames) {
        return fmt::format("{} seconds at {} frames a second are too many frames; {:.0f} are possible", seconds,
                           frames_per_second, most_frames);
    }
    if (bytes > most_bytes) {
        return fmt::format(
            "a bake, a film, a chart and a trace keep every frame, and {:.0f} of them take some {:.1f} GB "
            "of the {:.0f} that are possible; play less, or fewer frames a second",
            frames, bytes / 1e9, most_bytes / 1e9);
    }
    return std::nullopt;
}

Recording record(Performer performer, CuePlayer* cues, double seconds, double frames_per_second, Keeping keeping,
                 const FrameWatch& each_frame) {
    Recording recording;
    recording.frames_per_second = frames_per_second;
    recording.seconds = seconds;
    recording.seconds_in_state.resize(performer.character().states().size(), 0);
    Footprints prints(performer.character().rig());
    recording.game_body = cues != nullptr && cues->moves_body();
    const bool plants = recording.game_body || !performer.character().data().walks_in_place();
    std::vector<Transform> model(performer.character().joint_count());
    const auto look_at_feet = [&](const RecordedFrame& frame) {
        performer.model_pose(model);
        prints.add(frame.time, model, frame.place);
    };
    const auto apply_cues = [&](double now) {
        if (cues == nullptr) { return; }
        cues->apply(performer, now);
        for (const std::uint16_t signal : cues->sent()) { recording.signals.emplace_back(now, signal); }
    };
    apply_cues(0);
    SmoothnessWatch watch(performer);
    const BodyMover body = [&](const Performer& moved, double dt) {
        return cues != nullptr ? cues->move(moved, dt) : moved.travel();
    };
    recording.frames.push_back(capture(performer, keeping));
    look_at_feet(recording.frames.back());
    if (each_frame) { each_frame(performer, recording.frames.back()); }
    Performer before = performer;
    EventList passed;
    const auto steps = std::int64_t(std::llround(seconds * frames_per_second));
    Progress progress("playing", steps);
    for (std::int64_t f = 1; f <= steps; ++f) {
        // From instant to instant, so that the error of a step does not add up.
        const double now = double(f - 1) / frames_per_second, dt = double(f) / frames_per_second - now;
        apply_cues(now);
        before = performer;
        performer.advance(dt, passed);
        const Travel travel = body(performer, dt);
        if (plants) { performer.plant_feet(travel); }
        watch.step(before, dt, performer, plants ? body : BodyMover());
        // A reset sets the performer's own clock back; the recording's goes on.
        const double ahead = now - before.time();
        for (TransitionRecord t : performer.transitions()) {
            t.time += ahead;
            recording.taken.push_back(taken_by(performer, t));
            recording.transitions.push_back(t);
        }
        // A state that holds others is as long active as they are.
        for (std::size_t l = 0; l < performer.character().layers().size(); ++l) {
            for (std::uint16_t state = performer.state(l); state != 0xFFFF;
                 state = performer.character().states()[state].parent) {
                recording.seconds_in_state[state] += dt;
            }
        }
        RecordedFrame frame = capture(performer, keeping);
        frame.time += ahead;
        for (Event event : passed.events()) {
            if (event.what == no_index) { continue; } // states entered and left are told as transitions
            event.time += ahead;
            frame.events.push_back(event);
        }
        if (keeping.events) {
            recording.events.insert(recording.events.end(), frame.events.begin(), frame.events.end());
        }
        frame.travel = travel;
        frame.place = recording.frames.back().place;
        frame.place.add(frame.travel);
        recording.path_length += std::hypot(double(frame.travel.move.x), double(frame.travel.move.z));
        frame.jolt = watch.pop().last_jolt();
        look_at_feet(frame);
        if (each_frame) { each_frame(performer, frame); }
        if (!keeping.frames) { recording.frames.clear(); }
        recording.frames.push_back(std::move(frame));
        progress.at(f);
    }
    recording.seam = watch.worst_seam();
    recording.snaps = watch.transitions();
    recording.worst_snap = watch.worst_snap();
    recording.pop = watch.pop().worst();
    recording.faults = performer.faults();
    recording.feet = prints.feet();
    recording.footprints = prints.all();
    return recording;
}

float value_of(const Performer& performer, std::size_t index) {
    return detail::value_now(performer.character().data(), detail::block_of(performer), index);
}

std::string value_text(const ValueInfo& info, float value) {
    switch (info.kind) {
    case ParameterKind::flag:
        return value != 0 ? "yes" : "no";
    case ParameterKind::choice:
        return value >= 0 && std::size_t(value) < info.of.size() ? info.of[std::size_t(value)] : "";
    default:
        return fmt::format("{:.5g}", value);
    }
}

std::string event_text(const Character& character, const Event& event) {
    switch (event.kind) {
    case EventKind::span_begun:
        return character.spans()[event.what] + " begins";
    case EventKind::span_ended:
        return character.spans()[event.what] + " ends";
    default:
        return character.marks()[event.what];
    }
}

std::vector<double> clip_shares(const RecordedFrame& frame, const Character& character, std::size_t layer) {
    std::vector<double> shares(character.clips().size(), 0);
    double total = 0;
    for (const RecordedInstance& instance : frame.instances[layer]) {
        for (const ClipView& clip : instance.clips) {
            if (clip.added) { continue; }
            const double share = double(instance.view.weight) * double(clip.weight);
            shares[clip.clip] += share;
            total += share;
        }
    }
    // What is mixed in on a mask alone counts beside all that it leaves; what plays nothing has a part in an upper
    // layer's motions, and none in how much it counts.
    const double shown =
        layer == 0 ? frame.uncovered / std::max(total, 1.0) : frame.layer_weights[layer] / std::max(total, 1e-6);
    for (double& share : shares) { share *= shown; }
    return shares;
}

namespace {

constexpr std::size_t most_motions = 4; ///< of a row

} // namespace

Trace::Trace(const Character& character) : character_(character) {
    std::string& out = out_ = "time_s";
    for (const ParameterInfo& p : character.parameters()) { out += fmt::format(",{0}_set,{0}_smoothed", p.name); }
    out += ",state";
    for (std::size_t m = 1; m <= most_motions; ++m) {
        out +=
            fmt::format(",motion{0}_state,motion{0}_weight,motion{0}_clips,motion{0}_clip_weights,motion{0}_phases", m);
    }
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        const std::string& layer = character.layers()[l].name;
        out += "," + csv_cell(layer + "_state") + "," + csv_cell(layer + "_weight");
    }
    for (const ValueInfo& value : character.values()) { out += "," + csv_cell("gives_" + value.name); }
    out += ",events,place_x_m,place_y_m,place_z_m,heading_deg,travel_share,jolt_deg_per_s\n";
}

void Trace::add(const RecordedFrame& frame) {
    const Character& character = character_;
    std::string& out = out_;
    out += fmt::format("{:.6f}", frame.time);
    for (std::size_t p = 0; p < frame.set.size(); ++p) {
        out += fmt::format(",{:.6g},{:.6g}", frame.set[p], frame.smoothed[p]);
    }
    out += "," + csv_cell(character.states()[frame.state].name);
    for (std::size_t m = 0; m < most_motions; ++m) {
        if (m >= frame.instances.front().size()) {
            out += ",,,,,";
            continue;
        }
        const RecordedInstance& instance = frame.instances.front()[m];
        std::string clips, weights, phases;
        for (const ClipView& clip : instance.clips) {
            const char* bar = clips.empty() ? "" : "|";
            clips += bar + character.clips()[clip.clip].name;
            weights += fmt::format("{}{:.5f}", bar, clip.weight);
            phases += fmt::format("{}{:.5f}", bar, clip.phase);
        }
        out += fmt::format(",{},{:.5f},{},{},{}", csv_cell(character.states()[instance.view.state].name),
                           instance.view.weight, csv_cell(clips), weights, phases);
    }
    for (std::size_t l = 1; l < frame.states.size(); ++l) {
        out += fmt::format(",{},{:.5f}", csv_cell(character.states()[frame.states[l]].name), frame.layer_weights[l]);
    }
    for (std::size_t v = 0; v < frame.values.size(); ++v) {
        out += "," + csv_cell(value_text(character.values()[v], frame.values[v]));
    }
    std::string events;
    for (const Event& event : frame.events) { events += (events.empty() ? "" : "|") + event_text(character, event); }
    out += "," + csv_cell(events);
    out += fmt::format(",{:.6f},{:.6f},{:.6f},{:.5f},{:.5f},{:.4f}\n", frame.place.x, frame.place.y, frame.place.z,
                       frame.place.heading, frame.travel.share, frame.jolt);
}

} // namespace gait::tool
