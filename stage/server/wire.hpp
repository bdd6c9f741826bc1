/// What goes over the wire, as docs/stage.md lays it down.
#pragma once

#include "drawn_body.hpp"
#include "performance.hpp"

#include <nlohmann/json.hpp>

#include <optional>
#include <string>
#include <variant>

namespace gait::stage {

/// Pages of another version are told to reload.
inline constexpr int wire_version = 1;

/// The document as pages need it: parameters, values, layers, states, transitions, clips, blend spaces, joints, plan.
[[nodiscard]] nlohmann::json describe(const Performance& performance, const nlohmann::json& plan,
                                      const DrawnBody& body);

/// Findings as `gait check` says them, a line each.
[[nodiscard]] nlohmann::json describe(const Diagnostics& diagnostics);

/// What every transition that may be taken now waits for.
[[nodiscard]] nlohmann::json describe_ways(const Performer& performer);

/// What happened in a frame that is left out.
struct Skipped {
    std::vector<TransitionRecord> taken;
    std::vector<Event> events;
    std::vector<std::uint16_t> sent;
    double jolt = 0, seam = 0;
    Pop pop;
};
[[nodiscard]] Skipped what_happened(const Performance& performance);

enum class WithPose : std::uint8_t { no, yes };
/// A frame: what the score shows of it, and the pose in body space. With it is told what happened in one before it that
/// was `skipped`.
[[nodiscard]] std::string frame_bytes(const Performance& performance, WithPose with_pose,
                                      const Skipped* skipped = nullptr);

/// A machine drawn by Graphviz's `dot`: boxes and ways in points; null where there is no `dot`.
[[nodiscard]] nlohmann::json plan_of(const Character& character);

/// What a page may ask, once it is understood.
struct Ask {
    enum class Kind : std::uint8_t { input, pause, play, step, go_to, slow, ways, cues } kind = Kind::input;
    Input input;
    std::int64_t frame = 0; ///< of `go_to`, or frames of `step`
    int slow = 1;           ///< times
    bool wanted = false;    ///< of `ways`: from now on, or no longer
};
/// The meaning of a page's message, or what is wrong with it.
[[nodiscard]] std::variant<Ask, std::string> understand(const std::string& message, const Character& character);

} // namespace gait::stage
