#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <sstream>

namespace support {

using namespace gait;

std::string machine_text(const std::string& parameters, const std::string& states, const std::string& start,
                         const std::string& more) {
    std::string text = "gait: 1\nrig: x.glb\nclips:\n  low: {loop: yes}\n  high: {loop: yes}\n  side: {}\n  spin: {}\n"
                       "  swing: {loop: yes}\n  sway: {loop: yes}\n"
                       "  marked: {loop: yes, marks: {tick: 0.3, tock: 0.8}, spans: {open: [0.4, 0.6]}}\n";
    if (parameters.find('\n') == std::string::npos) {
        text += "parameters: {" + parameters + "}\n";
    } else {
        text += "parameters:\n" + parameters;
    }
    text += more + "layers:\n  - name: body\n    machine:\n      start: " +
            (start.empty() ? states.substr(0, states.find(':')) : start) + "\n      states:\n";
    std::istringstream lines(states);
    for (std::string line; std::getline(lines, line);) { text += "        " + line + "\n"; }
    return text;
}

std::shared_ptr<const Character> machine(const std::string& parameters, const std::string& states,
                                         const std::string& start, const std::string& more) {
    return character(machine_text(parameters, states, start, more), machine_assets());
}

std::string machine_mistakes(const std::string& parameters, const std::string& states, const std::string& start,
                             const std::string& more) {
    return diagnose(machine_text(parameters, states, start, more), machine_assets());
}

std::string at(Performer& performer, double seconds) {
    performer.advance(seconds);
    return std::string(performer.state_name());
}

std::vector<double> transition_times(const std::shared_ptr<const Character>& character, double seconds, double rate) {
    Performer performer(character);
    std::vector<double> times;
    for (int i = 0; i < int(std::lround(seconds * rate)); ++i) {
        performer.advance(1 / rate);
        for (const TransitionRecord& record : performer.transitions()) { times.push_back(record.time); }
    }
    return times;
}

std::vector<std::string> entered(Performer& performer, double seconds, double dt) {
    std::vector<std::string> names;
    EventList events;
    for (int i = 0; i < int(std::lround(seconds / dt)); ++i) {
        performer.advance(dt, events);
        for (const Event& event : events.events()) {
            if (event.kind == EventKind::entered) { names.push_back(performer.character().states()[event.state].name); }
        }
    }
    return names;
}

} // namespace support
