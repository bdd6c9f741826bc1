#include "check/condition_space.hpp"

#include "compile/parameter_values.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr std::size_t most_visits = 200'000;
constexpr std::size_t visit_instructions = 64; ///< so many instructions more count as a visit more
constexpr std::size_t most_marks = 100'000;    ///< numbers to try, of all axes: beyond it not each is tried

} // namespace

ConditionSpace::ConditionSpace(const CharacterData& data, const std::vector<CodeRange>& conditions)
    : data_(data), values_(data.layout.parameter_count, 0.0F) {
    for (std::size_t p = 0; p < data.parameters.size(); ++p) { values_[p] = data.parameters[p].default_value; }
    for (const CodeRange condition : conditions) { add_code(condition); }
    std::sort(derived_.begin(), derived_.end());
    std::sort(constants_.begin(), constants_.end());
    constants_.erase(std::unique(constants_.begin(), constants_.end()), constants_.end());
    if (axes_.size() * constants_.size() > most_marks) {
        exact_ = false;
        constants_.resize(most_marks / axes_.size());
    }
    for (Axis& axis : axes_) { fill_tries(axis, constants_); }
}

void ConditionSpace::add_code(CodeRange code) {
    instructions_ += code.count;
    for (const Instruction& i : data_.instructions(code)) {
        exact_ = exact_ && info_of(i.operation).compares;
        if (i.operation == Operation::constant) {
            constants_.push_back(i.value);
            constants_.push_back(-i.value);
        }
        if (reads_parameter(i)) { add_slot(i.slot, false); }
        if (i.operation == Operation::reading) {
            passing_ = true;
            add_slot(i.slot, true);
        }
    }
}

void ConditionSpace::add_slot(std::uint16_t slot, bool reading) {
    const bool known = std::any_of(axes_.begin(), axes_.end(),
                                   [&](const Axis& axis) { return axis.slot == slot && axis.reading == reading; });
    if (known) { return; }
    if (!reading) {
        for (std::size_t c = 0; c < data_.computed.size(); ++c) {
            const ComputedParameter& computed = data_.computed[c];
            if (computed.slot != slot) { continue; }
            if (computed.source == ParameterSource::rises || computed.source == ParameterSource::falls) {
                passing_ = true;
            }
            if (computed.source != ParameterSource::derived) { break; }
            if (std::find(derived_.begin(), derived_.end(), c) == derived_.end()) {
                derived_.push_back(std::uint16_t(c));
                add_code(computed.value);
            }
            return;
        }
    }
    Axis axis;
    axis.slot = slot;
    axis.reading = reading;
    axes_.push_back(axis);
}

std::optional<Reading> ConditionSpace::reading_of_layer(std::uint16_t slot) const {
    for (const ComputedParameter& computed : data_.computed) {
        if (computed.slot == slot && computed.source == ParameterSource::layer_reading) {
            return Reading(computed.node);
        }
    }
    return std::nullopt;
}

void ConditionSpace::fill_tries(Axis& axis, const std::vector<float>& constants) {
    const auto add = [&](float value) {
        if (std::isfinite(value)) { axis.tries.push_back(value); }
    };
    const bool hidden = !axis.reading && axis.slot >= data_.parameters.size();
    const ParameterInfo* info = axis.reading || hidden ? nullptr : &data_.parameters[axis.slot];
    const std::optional<Reading> reading = axis.reading ? std::optional(Reading(axis.slot))
                                           : hidden     ? reading_of_layer(axis.slot)
                                                        : std::nullopt;
    const bool is_flag =
        (hidden && !reading) || reading == Reading::ended || (info != nullptr && !info_of(info->kind).continuous);
    if (is_flag) {
        const std::size_t count = info != nullptr && info->kind == ParameterKind::choice ? info->of.size() : 2;
        for (std::size_t v = 0; v < count; ++v) { add(float(v)); }
        return;
    }
    if (info != nullptr && info->tune) { return add(info->default_value); } // the animator's own, as it stands
    axis.number = true;
    const float low = info != nullptr ? info->low : 0, high = info != nullptr ? info->high : 1e6F;
    std::vector<float> marks = constants;
    // Numbers of the animator's own are thresholds too.
    for (const Axis& other : axes_) {
        if (other.reading || other.slot >= data_.parameters.size()) { continue; }
        if (data_.parameters[other.slot].tune) { marks.push_back(data_.parameters[other.slot].default_value); }
    }
    for (const float mark : marks) {
        const float step = 1e-3F * (1 + std::fabs(mark));
        for (const float value : {mark - step, mark, mark + step}) {
            if (value >= low && value <= high) { add(value); }
        }
        if (mark > low && mark < high) { axis.thresholds.push_back(mark); }
    }
    add(low);
    add(high);
    if (info != nullptr) { add(info->default_value); }
    std::sort(axis.tries.begin(), axis.tries.end());
    axis.tries.erase(std::unique(axis.tries.begin(), axis.tries.end()), axis.tries.end());
    std::sort(axis.thresholds.begin(), axis.thresholds.end());
    axis.thresholds.erase(std::unique(axis.thresholds.begin(), axis.thresholds.end()), axis.thresholds.end());
}

void ConditionSpace::set(const Axis& axis, float value) {
    if (!axis.reading) {
        values_[axis.slot] = value;
        return;
    }
    switch (Reading(axis.slot)) {
    case Reading::elapsed:
        readings_.elapsed = value;
        break;
    case Reading::left:
        readings_.left = value;
        break;
    case Reading::phase:
        readings_.phase = value;
        break;
    case Reading::loops:
        readings_.loops = value;
        break;
    case Reading::ended:
        readings_.ended = value != 0;
        break;
    }
}

void ConditionSpace::derive() {
    for (const std::uint16_t index : derived_) {
        const ComputedParameter& computed = data_.computed[index];
        const ParameterInfo& info = data_.parameters[computed.slot];
        values_[computed.slot] = std::clamp(
            evaluate(data_.instructions(computed.value), {values_.data(), values_.data(), {}}), info.low, info.high);
    }
}

bool ConditionSpace::walk(std::size_t index, const std::function<bool()>& visit) {
    if (index == axes_.size()) {
        visits_ += 1 + instructions_ / visit_instructions;
        if (visits_ > most_visits) {
            exact_ = false;
            return false;
        }
        derive();
        return visit();
    }
    for (const float value : axes_[index].tries) {
        set(axes_[index], value);
        if (walk(index + 1, visit)) { return true; }
        if (visits_ > most_visits) { return false; }
    }
    return false;
}

bool ConditionSpace::any(const std::function<bool()>& visit) {
    visits_ = 0;
    return walk(0, visit);
}

bool ConditionSpace::any_threshold(const std::function<bool(const Threshold&)>& visit) {
    return any([&] {
        for (const Axis& axis : axes_) {
            if (!axis.number || axis.reading || axis.slot >= data_.parameters.size()) { continue; }
            const float before = values_[axis.slot];
            for (const float at : axis.thresholds) {
                const Threshold threshold{data_.parameters[axis.slot].name, at, [&](bool above) {
                                              const float step = 1e-3F * (1 + std::fabs(at));
                                              values_[axis.slot] = above ? at + step : at - step;
                                              derive();
                                          }};
                if (visit(threshold)) { return true; }
            }
            values_[axis.slot] = before;
            derive();
        }
        return false;
    });
}

bool ConditionSpace::holds(CodeRange condition) const {
    return condition.empty() ||
           evaluate(data_.instructions(condition), {values_.data(), values_.data(), readings_}) != 0;
}

std::string ConditionSpace::values() const {
    std::string text;
    for (const Axis& axis : axes_) {
        if (axis.reading || axis.slot >= data_.parameters.size()) { continue; }
        const ParameterInfo& info = data_.parameters[axis.slot];
        text += (text.empty() ? "" : ", ") + info.name + " = " + value_text(info, values_[axis.slot]);
    }
    return text;
}

} // namespace gait::detail
