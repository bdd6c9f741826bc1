#include "gait/inspect.hpp"

#include "character/character_data.hpp"

#include <algorithm>
#include <array>
#include <deque>
#include <map>
#include <optional>

namespace gait {
using namespace detail;
namespace {

/// Yes, no, or it depends.
enum class Maybe : std::uint8_t { no, yes, depends };

/// What a layer may be doing: the innermost state that the document names.
using Pair = std::pair<std::uint16_t, std::uint16_t>;

/// The states of two layers, and how each may come to the next, breadth first.
class TwoLayers {
public:
    TwoLayers(const CharacterData& data, std::size_t first, std::size_t second) : data_(data), layers_{first, second} {}

    /// The transitions of the shortest way to where `both` holds; nothing when there is none.
    template <typename Holds> std::optional<std::vector<std::uint16_t>> way_to(Holds both) {
        struct Step {
            Pair before;
            std::uint16_t transition = no_index;
        };
        std::map<Pair, Step> seen;
        std::deque<Pair> open;
        for (const std::uint16_t first : settled(data_.layers[layers_[0]].start)) {
            for (const std::uint16_t second : settled(data_.layers[layers_[1]].start)) {
                seen[{first, second}] = {{first, second}, no_index};
                open.emplace_back(first, second);
            }
        }
        constexpr std::size_t most = 200'000;
        while (!open.empty() && seen.size() < most) {
            const Pair here = open.front();
            open.pop_front();
            if (both(here)) {
                std::vector<std::uint16_t> way;
                for (Pair at = here; seen[at].transition != no_index; at = seen[at].before) {
                    way.push_back(seen[at].transition);
                }
                std::reverse(way.begin(), way.end());
                return way;
            }
            each_step(here, [&](Pair next, std::uint16_t transition) {
                if (seen.try_emplace(next, Step{here, transition}).second) { open.push_back(next); }
            });
        }
        return std::nullopt;
    }

    /// Whether a condition may hold where the two layers are.
    [[nodiscard]] bool may_hold(CodeRange range, const Pair& here) const { return holds(range, here) != Maybe::no; }

    [[nodiscard]] bool is_inside(std::uint16_t node, std::uint16_t around) const {
        for (; node != no_index; node = data_.states[node].parent) {
            if (node == around) { return true; }
        }
        return false;
    }

private:
    /// Where entering a node may lead, down its machines.
    [[nodiscard]] std::vector<std::uint16_t> settled(std::uint16_t node) const {
        if (data_.states[node].kind != NodeKind::machine) { return {node}; }
        std::vector<std::uint16_t> all = settled(data_.states[node].start);
        // One that begins from where the body is, or where it was left, may begin in any of its states.
        const bool anywhere = data_.states[node].starts_here || data_.states[node].resume != no_index;
        for (std::size_t inner = node + 1U; anywhere && inner < data_.states.size(); ++inner) {
            if (data_.states[inner].parent != node || inner == data_.states[node].start) { continue; }
            const auto more = settled(std::uint16_t(inner));
            all.insert(all.end(), more.begin(), more.end());
        }
        return all;
    }

    template <typename Visit> void each_step(const Pair& here, Visit visit) const {
        for (const std::size_t side : {0U, 1U}) {
            const std::uint16_t node = side == 0 ? here.first : here.second;
            for (std::uint16_t from = node; from != no_index; from = data_.states[from].parent) {
                const CompiledState& state = data_.states[from];
                for (std::size_t t = 0; t < state.transitions.count; ++t) {
                    const auto index = std::uint16_t(state.transitions.first + t);
                    const CompiledTransition& transition = data_.transitions[index];
                    if (holds(transition.when, here) == Maybe::no) { continue; }
                    for (const std::uint16_t to : settled(transition.target)) {
                        Pair next = here;
                        (side == 0 ? next.first : next.second) = to;
                        visit(next, index);
                        each_led(next, side, [&](Pair led) { visit(led, index); });
                    }
                }
            }
        }
    }

    /// What the entered state may do to the other layer.
    template <typename Visit> void each_led(const Pair& entered, std::size_t side, Visit visit) const {
        const std::uint16_t node = side == 0 ? entered.first : entered.second;
        for (std::uint16_t around = node; around != no_index; around = data_.states[around].parent) {
            const CompiledState& state = data_.states[around];
            for (std::size_t l = 0; l < state.leads.count; ++l) {
                const CompiledLead& lead = data_.leads[state.leads.first + l];
                if (data_.states[lead.target].layer != layers_[1 - side]) { continue; }
                if (holds(lead.when, entered) == Maybe::no) { continue; }
                for (const std::uint16_t to : settled(lead.target)) {
                    Pair led = entered;
                    (side == 0 ? led.second : led.first) = to;
                    visit(led);
                }
            }
        }
    }

    /// A condition, of which only what the two layers are doing is known.
    [[nodiscard]] Maybe holds(CodeRange range, const Pair& here) const {
        if (range.empty()) { return Maybe::yes; }
        std::vector<Maybe> stack;
        const auto pop = [&] {
            const Maybe top = stack.empty() ? Maybe::depends : stack.back();
            if (!stack.empty()) { stack.pop_back(); }
            return top;
        };
        for (const Instruction& i : data_.instructions(range)) {
            switch (i.operation) {
            case Operation::constant:
                stack.push_back(i.value != 0 ? Maybe::yes : Maybe::no);
                break;
            case Operation::parameter:
                stack.push_back(known(i.slot, here));
                break;
            case Operation::raw_parameter:
            case Operation::reading:
                stack.push_back(Maybe::depends);
                break;
            case Operation::both: {
                const Maybe b = pop(), a = pop();
                stack.push_back(a == Maybe::no || b == Maybe::no     ? Maybe::no
                                : a == Maybe::yes && b == Maybe::yes ? Maybe::yes
                                                                     : Maybe::depends);
                break;
            }
            case Operation::either: {
                const Maybe b = pop(), a = pop();
                stack.push_back(a == Maybe::yes || b == Maybe::yes ? Maybe::yes
                                : a == Maybe::no && b == Maybe::no ? Maybe::no
                                                                   : Maybe::depends);
                break;
            }
            case Operation::negation: {
                const Maybe a = pop();
                stack.push_back(a == Maybe::yes ? Maybe::no : a == Maybe::no ? Maybe::yes : Maybe::depends);
                break;
            }
            default: {
                // A calculation or a comparison: whatever comes out, numbers are free.
                const int takes = taken_by(i.operation);
                for (int n = 0; n < takes; ++n) { (void)pop(); }
                stack.push_back(Maybe::depends);
                break;
            }
            }
        }
        return pop();
    }

    static int taken_by(Operation operation) {
        switch (operation) {
        case Operation::negate:
        case Operation::absolute:
        case Operation::wrap:
        case Operation::sign:
        case Operation::floor:
        case Operation::ceil:
        case Operation::round:
        case Operation::square_root:
            return 1;
        case Operation::clamp:
            return 3;
        case Operation::remap:
            return 5;
        default:
            return 2;
        }
    }

    [[nodiscard]] Maybe known(std::uint16_t slot, const Pair& here) const {
        for (const ComputedParameter& computed : data_.computed) {
            if (computed.slot != slot || computed.source != ParameterSource::layer_state) { continue; }
            for (const std::size_t side : {0U, 1U}) {
                if (computed.layer != layers_[side]) { continue; }
                return is_inside(side == 0 ? here.first : here.second, computed.node) ? Maybe::yes : Maybe::no;
            }
        }
        return Maybe::depends;
    }

    const CharacterData& data_;
    std::array<std::size_t, 2> layers_;
};

} // namespace

std::vector<ForbiddenPair> forbidden_pairs(const Character& character) {
    const CharacterData& data = character.data();
    std::vector<ForbiddenPair> pairs;
    for (std::size_t f = 0; f < data.forbidden.size(); ++f) {
        const CompiledForbid& forbid = data.forbidden[f];
        const CompiledState &yields = data.states[forbid.yields], &rules = data.states[forbid.rules];
        TwoLayers two(data, yields.layer, rules.layer);
        ForbiddenPair pair{
            yields.visible, rules.visible, data.states[forbid.to].visible, data.notes.forbid_conditions[f], false, {}};
        const auto way = two.way_to([&](const Pair& at) {
            return two.is_inside(at.first, forbid.yields) && two.is_inside(at.second, forbid.rules) &&
                   two.may_hold(forbid.when, at);
        });
        pair.possible = way.has_value();
        if (way) { pair.route = *way; }
        pairs.push_back(std::move(pair));
    }
    return pairs;
}

} // namespace gait
