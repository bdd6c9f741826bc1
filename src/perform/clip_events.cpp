#include "perform/clip_events.hpp"

#include "perform/playheads.hpp"
#include "perform/shares.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

/// A step that comes round more often than this says no more.
constexpr double most_rounds = 1000;

/// Something of a clip that may be passed.
struct ClipEvent {
    EventKind kind = EventKind::mark;
    std::uint16_t what = 0;
    double at = 0;
};

class Passing {
public:
    Passing(Frame& frame, const Played& played) : frame_(frame), played_(played) {
        const Instance& instance = frame.layer.instances[played.instance];
        leaf_ = &leaves_of(frame.data, instance)[played.playhead->leaf];
        is_active_ = played.instance + 1U == frame.layer.instance_count;
    }

    void run() {
        const ClipEvents& moments = frame_.data.clip_events[leaf_->clip];
        const bool back = played_.to < played_.from;
        for (const PlacedSpan& span : moments.spans) {
            each_pass({EventKind::span_ended, span.span, back ? span.from : span.to});
        }
        for (const PlacedMark& mark : moments.marks) { each_pass({EventKind::mark, mark.mark, mark.at}); }
        for (const PlacedSpan& span : moments.spans) {
            each_pass({EventKind::span_begun, span.span, back ? span.to : span.from});
        }
    }

    /// `after` seconds into the step.
    void say_at(const ClipEvent& moment, double after) {
        if (moment.kind == EventKind::mark && is_active_ && frame_.passed_count < frame_.passed.size()) {
            frame_.passed[frame_.passed_count++] = moment.what;
            if (frame_.others != nullptr) { frame_.others->request_decision(true); }
        }
        if (frame_.events == nullptr) { return; }
        const Instance& instance = frame_.layer.instances[played_.instance];
        const float share = instance_shares(frame_.layer, shifted(everything_now, after))[played_.instance];
        frame_.events->add({frame_.header.time + frame_.gone + after, moment.kind, moment.what,
                            frame_.state_of(instance).visible, leaf_->clip, share * played_.playhead->weight});
    }

private:
    /// Calls `say_at` for each time that `moment` lies on the way. Places count as passed when they are reached.
    void each_pass(const ClipEvent& moment) {
        double from = played_.from, to = played_.to;
        const double way = to - from;
        if (std::fabs(way) > most_rounds) { from = way > 0 ? to - most_rounds : to + most_rounds; }
        const double low = std::min(from, to), high = std::max(from, to);
        const double first = leaf_->loops ? std::ceil(low - moment.at - 1) : 0, last = leaf_->loops ? high + 1 : 0.5;
        for (int round = 0; first + round < last; ++round) {
            const double at = moment.at + (first + round);
            const bool passed = way >= 0 ? at > from + same_place && at <= to + same_place
                                         : at < from - same_place && at >= to - same_place;
            const bool here = played_.first && std::fabs(at - from) <= same_place;
            if (passed || here) { say_at(moment, way == 0 || here ? 0.0 : seconds_until(at)); }
        }
    }

    [[nodiscard]] double seconds_until(double at) const {
        if (played_.clock == nullptr) {
            return played_.seconds * std::clamp((at - played_.from) / (played_.to - played_.from), 0.0, 1.0);
        }
        const double strides = frame_.data.motions.warp_of(*leaf_).strides_at(at);
        return std::clamp(played_.clock->until(played_.strides, strides), 0.0, played_.seconds);
    }

    Frame& frame_;
    const Played& played_;
    const Leaf* leaf_ = nullptr;
    bool is_active_ = false;
};

/// Says of each span that the clip is inside of, at `position`, that it begins or ends there.
void say_spans(Passing& passing, const ClipEvents& moments, double position, EventKind kind) {
    for (const PlacedSpan& span : moments.spans) {
        const bool inside = position >= span.from - same_place && position < span.to - same_place;
        if (inside) { passing.say_at({kind, span.span, position}, 0); }
    }
}

double position_of(const Frame& frame, std::size_t instance, const Leaf& leaf, const Playhead& playhead) {
    return place_of(frame.data, frame.layer, frame.layer.instances[instance], leaf, playhead).position;
}

const Leaf& leaf_of(const Frame& frame, std::size_t instance, const Playhead& playhead) {
    return leaves_of(frame.data, frame.layer.instances[instance])[playhead.leaf];
}

} // namespace

void pass_clip_events(Frame& frame, const Played& played) { Passing(frame, played).run(); }

void begin_clip_events(Frame& frame, std::size_t instance, const Playhead& playhead) {
    const Leaf& leaf = leaf_of(frame, instance, playhead);
    const ClipEvents& moments = frame.data.clip_events[leaf.clip];
    if (moments.marks.empty() && moments.spans.empty()) { return; }
    const double position = position_of(frame, instance, leaf, playhead);
    const Played here{instance, &playhead, position, position, 0, true};
    Passing passing(frame, here);
    for (const PlacedMark& mark : moments.marks) {
        if (std::fabs(mark.at - position) <= same_place) { passing.say_at({EventKind::mark, mark.mark, mark.at}, 0); }
    }
    say_spans(passing, moments, position, EventKind::span_begun);
}

void end_clip_events(Frame& frame, std::size_t instance, const Playhead& playhead) {
    const Leaf& leaf = leaf_of(frame, instance, playhead);
    const ClipEvents& moments = frame.data.clip_events[leaf.clip];
    if (frame.events == nullptr || moments.spans.empty()) { return; }
    const Played here{instance, &playhead, 0, 0, 0, false};
    Passing passing(frame, here);
    say_spans(passing, moments, position_of(frame, instance, leaf, playhead), EventKind::span_ended);
}

void end_clip_events(Frame& frame, std::size_t instance) {
    if (frame.events == nullptr) { return; }
    const Instance& playing = frame.layer.instances[instance];
    for (const Playhead& playhead : frame.block.playing(playing)) { end_clip_events(frame, instance, playhead); }
}

void say(Frame& frame, EventKind kind, std::uint16_t state, double after) {
    if (frame.events == nullptr) { return; }
    frame.events->add({frame.header.time + frame.gone + after, kind, no_index, state, no_index, 1});
}

} // namespace gait::detail
