#include "perform/begin_fade.hpp"

#include "perform/clip_events.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/shared_phase.hpp"

#include <algorithm>
#include <cstring>
#include <utility>

namespace gait::detail {
namespace {

/// The least time an inertial offset gets to decay, seconds.
constexpr double least_offset_seconds = 0.2;

/// What part of the body a motion covers: none, the layer's mask, or all of it.
std::pair<bool, bool> cover_of(const Frame& frame, std::uint16_t state) {
    const CompiledState& which = frame.data.states[state];
    return {frame.data.motions.motions[which.motion].nothing, which.whole_body};
}

/// The oldest motion, one too many to fade, leaves its difference to the others behind.
void fold_oldest(Frame& frame) {
    const LayerHeader& layer = frame.layer;
    const Instance& next = layer.instances[1];
    const double fade_left = next.fade - next.elapsed;
    const double offset_left = layer.offset_active != 0 ? double(layer.offset_seconds) - layer.offset_elapsed : 0;
    Evaluation all;
    all.weighed_ahead = frame.weighed_ahead();
    Evaluation rest = all;
    rest.first_instance = 1;
    rest.with_offset = false;
    capture_offset(frame.data, frame.block, all, rest, std::max({fade_left, offset_left, least_offset_seconds}));
    drop_oldest(frame, 1);
}

/// All but the newest motion leave their difference to it behind. It gets its signs on the way.
void fold_all_below(Frame& frame, double left_ahead) {
    LayerHeader& layer = frame.layer;
    const std::size_t newest = layer.instance_count - 1U;
    layer.instances[newest].inertial = 1;
    Evaluation before, after;
    before.last_instance = newest;
    before.weighed_ahead = left_ahead;
    after.first_instance = newest;
    after.with_offset = false;
    after.weighed_ahead = frame.weighed_ahead();
    capture_offset(frame.data, frame.block, before, after, layer.instances[newest].fade, true);
    drop_oldest(frame, newest);
}

} // namespace

void drop_oldest(Frame& frame, std::size_t count) {
    LayerHeader& layer = frame.layer;
    if (count == 0) { return; }
    for (std::size_t i = 0; i < count; ++i) { end_clip_events(frame, i); }
    // The rest move down and keep their slots.
    layer.instance_count = std::uint8_t(layer.instance_count - count);
    std::memmove(layer.instances.data(), layer.instances.data() + count, layer.instance_count * sizeof(Instance));
}

FadeStyle possible_style(const Frame& frame, std::uint16_t node, const Entrance& entrance) {
    if (entrance.style != FadeStyle::inertial) { return entrance.style; }
    const bool same_cover =
        frame.layer.instance_count > 0 && cover_of(frame, frame.active().state) == cover_of(frame, node);
    return entrance.fade > 0 && same_cover ? FadeStyle::inertial : FadeStyle::cross;
}

void make_room(Frame& frame, double fade) {
    if (!(fade > 0)) {
        drop_oldest(frame, frame.layer.instance_count);
        frame.layer.offset_active = 0;
    } else if (frame.layer.instance_count == most_instances) {
        fold_oldest(frame);
    }
}

void leave_behind(Frame& frame, FadeStyle style) {
    switch (style) {
    case FadeStyle::cross:
    case FadeStyle::inertial:
        return;
    case FadeStyle::frozen:
        SharedPhase(frame).release_all();
        for (std::size_t i = 0; i < frame.layer.instance_count; ++i) { frame.layer.instances[i].frozen = 1; }
        return;
    }
}

void begin_fade(Frame& frame, FadeStyle style, double left_ahead) {
    switch (style) {
    case FadeStyle::cross:
    case FadeStyle::frozen:
        return; // its weight rises by itself
    case FadeStyle::inertial:
        return fold_all_below(frame, left_ahead);
    }
}

} // namespace gait::detail
