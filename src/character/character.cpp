#include "gait/character.hpp"

#include "character/character_data.hpp"
#include "math/pose_kernels.hpp"

#include <algorithm>

namespace gait::detail {

bool CharacterData::walks_in_place() const {
    for (std::size_t c = 0; c < clips.size() && c < clip_events.size(); ++c) {
        const auto& downs = clip_events[c].downs;
        const bool steps = std::any_of(downs.begin(), downs.end(), [](const FootDown& d) { return d.to - d.from < 1; });
        if (clips[c].loops && !clips[c].travel.travels && steps) { return true; }
    }
    return false;
}

} // namespace gait::detail

namespace gait {
using namespace detail;
namespace {

template <typename Info, typename Fits>
std::uint16_t find_named(const KeptList<Info>& all, std::string_view name, Fits fits) {
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const Info& info) { return info.name == name && fits(info.kind); });
    return found == all.end() ? no_index : std::uint16_t(found - all.begin());
}

template <ParameterKind wanted> bool is(ParameterKind kind) { return kind == wanted; }

} // namespace

Character::Character(std::unique_ptr<const CharacterData> data) : data_(std::move(data)) {}
Character::~Character() = default;

const Rig& Character::rig() const { return data_->rig; }
std::size_t Character::detail_levels() const { return data_->joints_at.size(); }

std::size_t Character::joints_at(std::size_t level) const {
    if (level == 0 || data_->joints_at.empty()) { return joint_count(); }
    return data_->joints_at[std::min(level, data_->joints_at.size()) - 1];
}

std::size_t Character::joint_count() const { return data_->rig.joints.size(); }
NumberParameter Character::number(std::string_view name) const {
    return {find_named(data_->parameters, name, [](ParameterKind kind) { return info_of(kind).continuous; })};
}
FlagParameter Character::flag(std::string_view name) const {
    return {find_named(data_->parameters, name, is<ParameterKind::flag>)};
}
ChoiceParameter Character::choice(std::string_view name) const {
    return {find_named(data_->parameters, name, is<ParameterKind::choice>)};
}
SignalParameter Character::signal(std::string_view name) const {
    return {find_named(data_->parameters, name, is<ParameterKind::signal>)};
}
NumberValue Character::number_value(std::string_view name) const {
    return {find_named(data_->value_info, name, is<ParameterKind::number>)};
}
FlagValue Character::flag_value(std::string_view name) const {
    return {find_named(data_->value_info, name, is<ParameterKind::flag>)};
}
ChoiceValue Character::choice_value(std::string_view name) const {
    return {find_named(data_->value_info, name, is<ParameterKind::choice>)};
}
StateHandle Character::state(std::string_view name) const {
    const auto& all = data_->state_info;
    const auto find = [&](std::string_view wanted, std::size_t layer, bool any) {
        return std::find_if(all.begin(), all.end(),
                            [&](const StateInfo& s) { return s.name == wanted && (any || s.layer == layer); });
    };
    for (std::size_t l = 0; l < data_->layer_info.size(); ++l) {
        const std::string prefix = data_->layer_info[l].name + ".";
        if (!name.starts_with(prefix)) { continue; }
        const auto found = find(name.substr(prefix.size()), l, false);
        if (found != all.end()) { return {std::uint16_t(found - all.begin())}; }
    }
    const auto found = find(name, 0, true);
    return found == all.end() ? StateHandle{} : StateHandle{std::uint16_t(found - all.begin())};
}
std::optional<std::size_t> Character::layer(std::string_view name) const {
    const auto& all = data_->layer_info;
    const auto found = std::find_if(all.begin(), all.end(), [&](const LayerInfo& l) { return l.name == name; });
    return found == all.end() ? std::nullopt : std::optional(std::size_t(found - all.begin()));
}
OneShotHandle Character::one_shot(std::string_view name) const {
    const auto& all = data_->state_info;
    const auto found = std::find_if(all.begin(), all.end(), [&](const StateInfo& s) {
        return data_->layer_info[s.layer].one_shots && s.name == name && !s.nothing;
    });
    return found == all.end() ? OneShotHandle{} : OneShotHandle{std::uint16_t(found - all.begin())};
}
std::span<const LayerInfo> Character::layers() const { return data_->layer_info; }
std::string Character::full_name(std::uint16_t state) const {
    if (state >= data_->state_info.size()) { return {}; }
    const StateInfo& info = data_->state_info[state];
    return data_->layer_info.size() < 2 ? std::string(info.name) : data_->layer_info[info.layer].name + "." + info.name;
}

std::span<const ParameterInfo> Character::parameters() const { return data_->parameters; }
std::span<const ValueInfo> Character::values() const { return data_->value_info; }
std::span<const KeptText> Character::marks() const { return data_->mark_names; }
std::span<const KeptText> Character::spans() const { return data_->span_names; }
std::span<const StateInfo> Character::states() const { return data_->state_info; }
std::span<const TransitionInfo> Character::transitions() const { return data_->transition_info; }
std::span<const ClipInfo> Character::clips() const { return data_->clip_info; }
std::span<const KeptText> Character::number_tracks() const { return data_->number_tracks; }
std::size_t Character::performer_bytes() const { return data_->layout.bytes; }

std::vector<std::string> runnable_targets() { return kernels::runnable_targets(); }
bool pin_target(const std::string& name) { return kernels::pin_target(name); }

} // namespace gait
