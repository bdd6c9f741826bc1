#include "gait/character.hpp"

#include "math/pose_kernels.hpp"
#include "perform/character_data.hpp"

#include <algorithm>

namespace gait {
namespace {

template <typename Info>
std::uint16_t find_named(const std::vector<Info>& all, std::string_view name,
                         std::initializer_list<ParameterKind> kinds) {
    const auto found = std::find_if(all.begin(), all.end(), [&](const Info& info) {
        return info.name == name && std::find(kinds.begin(), kinds.end(), info.kind) != kinds.end();
    });
    return found == all.end() ? std::uint16_t{0xFFFF} : std::uint16_t(found - all.begin());
}

} // namespace

Character::Character(std::unique_ptr<const CharacterData> data) : data_(std::move(data)) {}
Character::~Character() = default;

const Rig& Character::rig() const { return data_->rig; }
std::size_t Character::joint_count() const { return data_->rig.joints.size(); }
NumberParameter Character::number(std::string_view name) const {
    return {find_named(data_->parameters, name, {ParameterKind::number, ParameterKind::angle})};
}
FlagParameter Character::flag(std::string_view name) const {
    return {find_named(data_->parameters, name, {ParameterKind::flag})};
}
ChoiceParameter Character::choice(std::string_view name) const {
    return {find_named(data_->parameters, name, {ParameterKind::choice})};
}
SignalParameter Character::signal(std::string_view name) const {
    return {find_named(data_->parameters, name, {ParameterKind::signal})};
}
NumberValue Character::number_value(std::string_view name) const {
    return {find_named(data_->value_info, name, {ParameterKind::number})};
}
FlagValue Character::flag_value(std::string_view name) const {
    return {find_named(data_->value_info, name, {ParameterKind::flag})};
}
ChoiceValue Character::choice_value(std::string_view name) const {
    return {find_named(data_->value_info, name, {ParameterKind::choice})};
}
StateHandle Character::state(std::string_view name) const {
    const std::string prefix = data_->layer_name + ".";
    if (name.starts_with(prefix)) { name.remove_prefix(prefix.size()); }
    const auto& all = data_->state_info;
    const auto found = std::find_if(all.begin(), all.end(), [&](const StateInfo& s) { return s.name == name; });
    return found == all.end() ? StateHandle{} : StateHandle{std::uint16_t(found - all.begin())};
}

std::span<const ParameterInfo> Character::parameters() const { return data_->parameters; }
std::span<const ValueInfo> Character::values() const { return data_->value_info; }
std::span<const std::string> Character::marks() const { return data_->mark_names; }
std::span<const std::string> Character::spans() const { return data_->span_names; }
std::string_view Character::layer_name() const { return data_->layer_name; }
std::span<const StateInfo> Character::states() const { return data_->state_info; }
std::span<const TransitionInfo> Character::transitions() const { return data_->transition_info; }
std::span<const ClipInfo> Character::clips() const { return data_->clip_info; }
std::span<const std::string> Character::number_tracks() const { return data_->number_tracks; }
std::size_t Character::performer_bytes() const { return data_->layout.bytes; }

std::vector<std::string> runnable_targets() { return kernels::runnable_targets(); }
bool pin_target(const std::string& name) { return kernels::pin_target(name); }

} // namespace gait
