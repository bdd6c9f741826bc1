/// The start of a fade: everything that differs from style to style.
#pragma once

#include "perform/play.hpp"

namespace gait::detail {

/// Forgets the oldest `count` motions of a layer.
void drop_oldest(Frame& frame, std::size_t count);

/// The style in which `node` is faded in: an inertial fade stands for a change of the pose, not of the part of the body
/// that the layer covers, which is cross-faded instead.
[[nodiscard]] FadeStyle possible_style(const Frame& frame, std::uint16_t node, const Entrance& entrance);

/// Before the motion is added: at most three play, so that there is room for it. A cut forgets them all; the oldest of
/// four is folded into the layer's offset.
void make_room(Frame& frame, double fade);
/// Before the new motion is added: what the style does to those that play.
void leave_behind(Frame& frame, FadeStyle style);
/// After it was added, as the newest. `left_ahead`: the inputs by which the one below it was weighed are so far ahead,
/// seconds.
void begin_fade(Frame& frame, FadeStyle style, double left_ahead);

} // namespace gait::detail
