#include "begin/first_text_writer.hpp"

#include "files/document_text.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {

void FirstTextWriter::gestures() {
    for (const Placed* gesture : cast_.all(ClipRole::gesture)) {
        if (home_ == "playing") { return; }
        plays(*gesture, "one_shots");
        const std::string mask = mask_for(*gesture);
        one_shots_ += fmt::format("  {}: {{play: {}{}, fade: [0.35, 0.35]}}\n", gesture->seen.name, gesture->seen.name,
                                  mask.empty() ? "" : ", mask: " + mask);
    }
}

std::string FirstTextWriter::mask_for(const Placed& gesture) {
    const std::string arm = arms_.only_arm(gesture);
    if (!arm.empty()) {
        const int joint = arms_.shoulder(arm);
        const std::string line =
            fmt::format("{}_arm: {{from: {}, ramp: 2}}", arm, document_text(rig_.joints[std::size_t(joint)].name));
        if (masks_.find(arm + "_arm:") == std::string::npos) {
            masks_ += fmt::format("  {:<38} # the only one that some gestures move\n", line);
        }
        return arm + "_arm";
    }
    return trunk() ? "trunk" : "";
}

std::string FirstTextWriter::arms_layer() {
    if (arms_.chains.empty() || home_ == "playing") { return {}; }
    std::string states;
    std::vector<std::string> from_free;
    bool tasks = false;
    for (const ArmChain& chain : arms_.chains) {
        const std::string state = free_state(chain.name);
        if (chain.hold != nullptr && chain.raises.empty() && chain.lowers.empty()) {
            plays(*chain.hold, "arms." + state);
            held_.push_back(chain.hold->seen.name);
            from_free.push_back(fmt::format("to: {}, when: hands == {}, fade: 0.4", state, chain.hold->seen.name));
            states +=
                fmt::format("        {}: {{play: {}, go: [{{to: free, when: hands != {}, fade: 0.4}}]}}\n", state,
                            quoted(with_families(chain.hold->seen.name, true, chain.hold)), chain.hold->seen.name);
            continue;
        }
        const std::string signal = "do_" + chain.name;
        parameter(signal, "{kind: signal, keep: 0.3}");
        from_free.push_back(fmt::format("to: {}, signal: {}, fade: 0.4", state, signal));
        if (chain.hold != nullptr && chain.raises.size() == 1 && chain.lowers.size() == 1) {
            tasks = true;
            plays(*chain.raises.front(), "arms." + state);
            plays(*chain.hold, "arms." + state);
            plays(*chain.lowers.front(), "arms." + state);
            const std::string hold = with_families(chain.hold->seen.name, true, chain.hold);
            std::string argument = hold;
            if (hold != chain.hold->seen.name) { // a machine takes names
                argument = "held_" + chain.name;
                motions_ += fmt::format("  {}: {}\n", argument, hold);
            }
            states +=
                fmt::format("        {}:\n          machine: \"task({}, {}, {})\"\n          go: [{{to: free, at: "
                            "end, fade: 0.25}}]\n",
                            state, chain.raises.front()->seen.name, argument, chain.lowers.front()->seen.name);
            continue;
        }
        states += chain_state(chain, state);
    }
    if (tasks) {
        parameter("keep_up", "{kind: flag, note: the arms hold what they hold for as long}");
        machine_text_ +=
            "  task(begin, hold_it, finish):            # something is taken up, held, and put down\n    start: "
            "beginning\n    states:\n"
            "      beginning: {play: begin, go: [{to: working, at: end, fade: 0.25}]}\n"
            "      working:   {play: hold_it, go: [{to: ending, when: not keep_up, after: 0.3, fade: 0.25}]}\n"
            "      ending:    {play: finish}\n";
    }
    if (!held_.empty()) {
        std::string of = "free";
        for (const std::string& name : held_) { of += ", " + name; }
        parameter("hands", "{kind: choice, of: [" + of + "], note: what they hold}");
    }
    const bool masked = trunk();
    std::string out = "  - name: arms\n" + std::string(masked ? "    mask: trunk\n" : "") +
                      "    machine:\n      start: free\n      states:\n        free:\n          play: nothing\n";
    ways(out, from_free, 10);
    if (leaves_ground()) {
        forbid_ = "  - {yields: arms, while: body.air, fade: 0.45}   # nothing is held up in the air\n";
    }
    return out + states;
}

std::string FirstTextWriter::chain_state(const ArmChain& chain, const std::string& state) {
    std::vector<const Placed*> parts;
    parts.insert(parts.end(), chain.raises.begin(), chain.raises.end());
    if (chain.hold != nullptr) { parts.push_back(chain.hold); }
    parts.insert(parts.end(), chain.lowers.begin(), chain.lowers.end());
    if (parts.size() == 1) {
        plays(*parts.front(), "arms." + state);
        return fmt::format("        {}: {{play: {}, go: [{{to: free, at: end, fade: 0.4}}]}}\n", state,
                           parts.front()->seen.name);
    }
    std::string out =
        fmt::format("        {}:\n          machine:\n            start: part_1\n            states:\n", state);
    for (std::size_t p = 0; p < parts.size(); ++p) {
        plays(*parts[p], "arms." + state);
        const bool held = parts[p] == chain.hold;
        const bool last = p + 1 == parts.size();
        if (held) { parameter("keep_up", "{kind: flag, note: the arms hold what they hold for as long}"); }
        const std::string when = held ? "when: not keep_up, after: 0.3" : "at: end";
        out += last ? (held ? fmt::format("              part_{}: {{play: {{clip: {}, loop: no}}}}\n", p + 1,
                                          parts[p]->seen.name)
                            : fmt::format("              part_{}: {{play: {}}}\n", p + 1, parts[p]->seen.name))
                    : fmt::format("              part_{}: {{play: {}, go: [{{to: part_{}, {}, fade: 0.25}}]}}\n", p + 1,
                                  parts[p]->seen.name, p + 2, when);
    }
    return out + "          go: [{to: free, at: end, fade: 0.4}]\n";
}

} // namespace gait::detail
