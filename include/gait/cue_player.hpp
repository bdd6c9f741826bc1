/// \file
/// Plays a performer by a cue sheet.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/cue_sheet.hpp"
#include "gait/diagnostic.hpp"
#include "gait/performer.hpp"
#include "gait/plain_body.hpp"

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// A cue sheet bound to a character: names found, repeats laid out, in order of time.
class GAIT_API CuePlayer {
public:
    /// What a text means to a parameter: a number, 0 or 1 for a flag, or the index of a choice's value.
    struct Meaning {
        float value = 0;
        std::string problem; ///< what is wrong with it, in words; empty when all is well
        std::string code;    ///< of the problem
    };
    /// The meaning of `text` as a value of `parameter`.
    [[nodiscard]] static Meaning meaning_of(const std::string& text, const ParameterInfo& parameter);

    /// Binds; names that the character lacks and values of the wrong kind are added to `diagnostics`.
    CuePlayer(const CueSheet& sheet, const Character& character, Diagnostics& diagnostics);

    /// How the body moves in the next `dt` seconds: by its clips' travel, and for the rest by the sheet's `body`.
    [[nodiscard]] Travel move(const Performer& performer, double dt) const;

    /// Whether the sheet has a `body`.
    [[nodiscard]] bool moves_body() const { return body_.has_value(); }

    /// Whether some cue sets or sends that parameter: an index into `Character::parameters()`.
    [[nodiscard]] bool touches(std::uint16_t parameter) const;
    /// Whether the sheet's `body` goes by that parameter.
    [[nodiscard]] bool goes_by(std::uint16_t parameter) const;

    /// Sets what is due up to and including `time`, seconds since the performer's start. Time only goes forward.
    void apply(Performer& performer, double time);
    /// The signals that the last `apply` sent, indices into `Character::parameters()`.
    [[nodiscard]] std::span<const std::uint16_t> sent() const { return sent_; }

    /// The instant of the last cue's end.
    [[nodiscard]] double last() const { return last_; }

private:
    struct Step {
        double at = 0;
        double over = 0;
        std::uint16_t parameter = 0;
        float value = 0;
        enum class Kind { set, set_flag, set_choice, send, enter, reset, seed } kind = Kind::set;
        StateHandle state;
        std::uint64_t seed = 0;
    };
    struct Ramp {
        Step step;
        float from = 0;
    };
    std::optional<PlainBody> body_;
    std::vector<Step> steps_;
    std::vector<Ramp> ramps_;
    std::vector<std::uint16_t> sent_; ///< by the last `apply`
    std::size_t next_ = 0;
    double last_ = 0;
};

} // namespace gait
