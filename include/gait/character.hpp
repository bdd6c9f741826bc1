/// \file
/// A document compiled with its rig and clips: immutable, shared by every performer that plays it, safe to read from
/// any thread.
#pragma once

#include "gait/document.hpp"
#include "gait/math.hpp"
#include "gait/rig.hpp"

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

struct CharacterData;

/// Handles are found by name once and used every frame. A default one refers to nothing.
struct NumberParameter {
    std::uint16_t index = 0xFFFF;
    [[nodiscard]] explicit operator bool() const { return index != 0xFFFF; }
};
struct FlagParameter {
    std::uint16_t index = 0xFFFF;
    [[nodiscard]] explicit operator bool() const { return index != 0xFFFF; }
};

struct StateHandle {
    std::uint16_t index = 0xFFFF; ///< into `Character::states()`
    [[nodiscard]] explicit operator bool() const { return index != 0xFFFF; }
};

/// A parameter as compiled.
struct ParameterInfo {
    std::string name;
    ParameterKind kind = ParameterKind::number;
    float low = 0, high = 0; ///< inputs are clamped to this range; infinite when the document gives none
    float default_value = 0;
    float smooth = 0; ///< seconds the smoothed value lags behind a steady ramp; 0 follows at once
    std::string unit;
    std::string note;
    bool tune = false;
};

struct StateInfo {
    std::string name;
};

/// A clip as compiled.
struct ClipInfo {
    std::string name;
    double seconds = 0;
    bool loops = false;
    std::uint32_t intervals = 0; ///< samples a cycle
    std::size_t bytes = 0;       ///< of sampled data
};

struct TransitionInfo {
    std::uint16_t from = 0; ///< index into `states()`
    std::uint16_t to = 0;
    std::string when; ///< the condition as written; empty when it leaves as the motion ends
    double fade = 0;  ///< seconds
    Ease ease = Ease::smooth;
};

/// See the file's comment. Made by `compile` (gait/compile.hpp).
class Character {
public:
    explicit Character(std::unique_ptr<const CharacterData> data);
    ~Character();
    Character(const Character&) = delete;
    Character& operator=(const Character&) = delete;

    [[nodiscard]] const Rig& rig() const;
    [[nodiscard]] std::size_t joint_count() const;

    /// The handle of a parameter of that kind; one that refers to nothing when there is none.
    [[nodiscard]] NumberParameter number(std::string_view name) const;
    [[nodiscard]] FlagParameter flag(std::string_view name) const;

    /// The handle of a state, by its name or with its layer's before it: `moving` or `body.moving`.
    [[nodiscard]] StateHandle state(std::string_view name) const;

    [[nodiscard]] std::span<const ParameterInfo> parameters() const;
    [[nodiscard]] std::string_view layer_name() const;
    [[nodiscard]] std::span<const StateInfo> states() const;
    [[nodiscard]] std::span<const TransitionInfo> transitions() const;
    [[nodiscard]] std::span<const ClipInfo> clips() const;

    /// The size of one performer's block.
    [[nodiscard]] std::size_t performer_bytes() const;

    [[nodiscard]] const CharacterData& data() const { return *data_; }

private:
    std::unique_ptr<const CharacterData> data_;
};

/// The vector instruction sets the kernels can run with here, best first.
[[nodiscard]] std::vector<std::string> runnable_targets();

/// Pins every frame to one of `runnable_targets()`, so that results are the same bit for bit on machines that share it;
/// an empty name lets the machine choose again. False when the name is unknown. Call it while no frame is being
/// computed.
bool pin_target(const std::string& name);

} // namespace gait
