// What a game gives a performer, and what it asks of values.
#include "gait/character.hpp"
#include "gait/performer.hpp"
#include "math/compiler.hpp"
#include "perform/block_of.hpp"
#include "perform/frame.hpp"
#include "perform/input_step.hpp"
#include "perform/refuse.hpp"
#include "perform/values.hpp"

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

namespace gait {
using namespace detail;
namespace {

/// The parameter at `index`, if it is one that the game sets; null otherwise.
const ParameterInfo* settable(const CharacterData& data, std::uint16_t index) {
    if (index >= data.smoothed_of.size() || data.parameters[index].computed) { return nullptr; }
    return &data.parameters[index];
}
/// Whether it is, and of that kind.
bool can_set(const CharacterData& data, std::uint16_t index, ParameterKind kind) {
    const ParameterInfo* info = settable(data, index);
    return info != nullptr && info->kind == kind;
}

Asked asked_number(float value) { return {"set", "number", {}, double(value)}; }

/// What the game sets, to be followed.
void set_aim(const PerformerBlock& block, std::uint16_t index, float value) {
    float& raw = block.raw()[index];
    if (raw == value) { return; }
    raw = value;
    note_moved(block.header(), index);
    block.header().inputs_settle = 1;
}

/// What is seen at once.
void set_at_once(const PerformerBlock& block, std::uint16_t index, float value) {
    set_aim(block, index, value);
    block.smoothed()[index] = value;
}

/// Shows what is set. By itself, so that what most calls do needs no block on the stack.
GAIT_NOINLINE void show_set(const Performer& performer) {
    begin_again(performer.character().data(), block_of(performer));
}
/// Before the first step the pose shows what is set.
void show_at_start(const Performer& performer, const PerformerBlock& block) {
    if (block.header().started == 0) [[unlikely]] { show_set(performer); }
}

/// A number or an angle that may be followed smoothly. By itself, so that what most calls do needs no room on the
/// stack.
GAIT_NOINLINE bool set_followed(const Performer& performer, std::uint16_t index, float value) {
    const PerformerBlock block = block_of(performer);
    const CharacterData& data = performer.character().data();
    const ParameterInfo& info = data.parameters[index];
    if (!info_of(info.kind).continuous) {
        return refuse_parameter(performer, asked_number(value), index, Refusal::wrong_handle);
    }
    value = within_range(info, value);
    const bool follows = data.smoothed_of[index] != no_index;
    if (follows && block.header().started != 0) {
        set_aim(block, index, value);
        return true;
    }
    set_at_once(block, index, value);
    if (follows) { begin_smoothed(data, block, index); }
    show_at_start(performer, block);
    return true;
}

} // namespace

bool Performer::set(NumberParameter parameter, float value) {
    const CharacterData& data = character_->data();
    const ParameterInfo* info = settable(data, parameter.index);
    if (info == nullptr || !std::isfinite(value)) [[unlikely]] {
        return refuse_parameter(*this, asked_number(value), parameter.index, Refusal::not_a_number);
    }
    const bool follows = data.smoothed_of[parameter.index] != no_index;
    if (info->kind == ParameterKind::number && !follows) {
        const PerformerBlock block = block_of(*this);
        set_at_once(block, parameter.index, std::clamp(value, info->low, info->high));
        show_at_start(*this, block);
        return true;
    }
    return set_followed(*this, parameter.index, value);
}

bool Performer::set(FlagParameter parameter, bool value) {
    const PerformerBlock block = block_of(*this);
    if (!can_set(character_->data(), parameter.index, ParameterKind::flag)) {
        return refuse_parameter(*this, {"set", "flag", {}, value ? 1.0 : 0.0}, parameter.index, Refusal::wrong_handle);
    }
    set_at_once(block, parameter.index, value ? 1.0F : 0.0F);
    show_at_start(*this, block);
    return true;
}

bool Performer::set(ChoiceParameter parameter, std::string_view value) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    if (can_set(data, parameter.index, ParameterKind::choice)) {
        const auto& of = data.parameters[parameter.index].of;
        const auto found = std::find(of.begin(), of.end(), value);
        if (found != of.end()) {
            set_at_once(block, parameter.index, float(found - of.begin()));
            show_at_start(*this, block);
            return true;
        }
        return refuse_parameter(*this, {"set", "choice", value}, parameter.index, Refusal::unknown_word);
    }
    return refuse_parameter(*this, {"set", "choice", value}, parameter.index, Refusal::wrong_handle);
}

bool Performer::set(std::string_view name, std::string_view value) {
    const ChoiceParameter found = character_->choice(name);
    return found ? set(found, value) : refuse_name(*this, {"set", "choice", value}, name, Refusal::unknown_name);
}

bool Performer::set_number(std::string_view name, float value) {
    const NumberParameter found = character_->number(name);
    return found ? set(found, value) : refuse_name(*this, asked_number(value), name, Refusal::unknown_name);
}

bool Performer::set_flag(std::string_view name, bool value) {
    const FlagParameter found = character_->flag(name);
    const Asked asked{"set", "flag", {}, value ? 1.0 : 0.0};
    return found ? set(found, value) : refuse_name(*this, asked, name, Refusal::unknown_name);
}

bool Performer::send(SignalParameter signal) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    if (!can_set(data, signal.index, ParameterKind::signal)) {
        return refuse_parameter(*this, {"send", "signal"}, signal.index, Refusal::wrong_handle);
    }
    Frame frame(data, block);
    send_signal(frame, data.signal_of[signal.index]);
    return true;
}

bool Performer::send(std::string_view name) {
    const SignalParameter found = character_->signal(name);
    return found ? send(found) : refuse_name(*this, {"send", "signal"}, name, Refusal::unknown_name);
}

float Performer::get(NumberParameter parameter) const {
    return parameter.index < character_->data().parameters.size() ? block_of(*this).raw()[parameter.index] : 0;
}

float Performer::smoothed(NumberParameter parameter) const {
    return parameter.index < character_->data().parameters.size() ? block_of(*this).smoothed()[parameter.index] : 0;
}

bool Performer::get(FlagParameter parameter) const { return get(NumberParameter{parameter.index}) != 0; }

namespace {

/// One of a choice's words; empty for a place that it does not have, as a computed one may come to.
std::string_view word_at(const KeptList<KeptText>& of, float place) {
    return place >= 0 && place < float(of.size()) ? std::string_view(of[std::size_t(place)]) : std::string_view();
}

} // namespace

std::string_view Performer::get(ChoiceParameter parameter) const {
    const auto& all = character_->data().parameters;
    if (parameter.index >= all.size() || all[parameter.index].kind != ParameterKind::choice) { return {}; }
    return word_at(all[parameter.index].of, get(NumberParameter{parameter.index}));
}

float Performer::get(NumberValue value) const {
    const CharacterData& data = character_->data();
    return value.index < data.value_info.size() ? value_now(data, block_of(*this), value.index) : 0;
}

bool Performer::get(FlagValue value) const { return get(NumberValue{value.index}) != 0; }

std::string_view Performer::get(ChoiceValue value) const {
    const auto& all = character_->data().value_info;
    if (value.index >= all.size() || all[value.index].kind != ParameterKind::choice) { return {}; }
    return word_at(all[value.index].of, get(NumberValue{value.index}));
}

} // namespace gait
