// Legs and arms with a machine each. The game tells the performer what is asked for; which of them may, leads or
// yields, the document says. Prints what both are doing whenever that changes.
//
//   two_minds [DOCUMENT]
#include <gait/gait.hpp>

#include <cstdio>
#include <string>

namespace {

constexpr double frame = 1.0 / 60;

/// The evening, as a game would have it.
void play(gait::Performer& her, double time) {
    const auto at = [&](double instant) { return time >= instant && time < instant + frame / 2; };
    if (at(1)) {
        her.set("lamp", "high");
        her.set("button", true); // held down: she keeps the pole raised
        her.send("light");
    }
    if (at(2.5)) { her.set("speed", 1.2); } // she may walk with it
    if (at(4)) { her.set("speed", 0.0); }
    if (at(5)) { her.set("button", false); } // let go: she touches the lamp
    if (at(5.2)) { her.send("light"); }      // a second press waits for its turn
    if (at(8)) { her.play_once("greet"); }   // to a boat, with the right arm alone
    if (at(8.2)) { her.set("speed", 1.4); }
    if (at(11)) { her.send("bell"); } // the bell needs the whole body: her legs stop for it
    if (at(11.1)) { her.set("speed", 0.0); }
    if (at(14)) {
        her.set("button", true);
        her.send("light");
    }
    if (at(15.5)) { her.set("airborne", true); } // no raised pole in the air
    if (at(16.2)) { her.set("airborne", false); }
}

} // namespace

int main(int argument_count, char** arguments) {
    const gait::Loaded loaded = gait::load(argument_count > 1 ? arguments[1] : "demo/lamplighter.gait.yaml");
    std::fputs(gait::format(loaded.diagnostics).c_str(), stderr);
    if (!loaded.character) { return 1; }
    const gait::Character& character = *loaded.character;
    const auto legs = character.layer("legs"), arms = character.layer("arms");
    const gait::OneShotHandle greet = character.one_shot("greet");
    const gait::NumberValue top_speed = character.number_value("top_speed");
    if (!legs || !arms || !greet) {
        std::fputs("this example wants a document with layers 'legs' and 'arms' and a one-shot 'greet'\n", stderr);
        return 1;
    }

    gait::Performer her(loaded.character);
    gait::EventList events;
    std::string before;
    for (int i = 0; i < int(18 / frame); ++i) {
        const double time = i * frame;
        play(her, time);
        her.advance(frame, events);
        for (const gait::Event& event : events.events()) {
            const bool is_greeting = event.state == greet.index;
            if (is_greeting && event.kind == gait::EventKind::left) {
                std::printf("%6.2f s  the greeting is over\n", event.time);
            }
        }
        const std::string now = std::string(her.state_name(*legs)) + " | " + std::string(her.state_name(*arms)) +
                                (her.plays(greet) ? " | greet" : "");
        if (now == before) { continue; }
        before = now;
        std::printf("%6.2f s  %-60s  she may go at %.1f m/s\n", her.time(), now.c_str(), double(her.get(top_speed)));
    }
    return 0;
}
