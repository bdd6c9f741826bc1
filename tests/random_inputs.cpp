#include "random_inputs.hpp"

#include "gait/plain_body.hpp"
#include "gait/smoothness.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace gait;

namespace support {
void RandomInputs::give(Performer& performer, const ParameterInfo& parameter) {
    switch (parameter.kind) {
    case ParameterKind::number: {
        const double low = std::isfinite(parameter.low) ? double(parameter.low) : 0;
        const double high = std::isfinite(parameter.high) ? double(parameter.high) : 6;
        performer.set(parameter.name, float(unit() < 0.25 ? std::max(low, 0.0) : low + (high - low) * unit()));
        break;
    }
    case ParameterKind::angle:
        performer.set(parameter.name, float(unit() < 0.3 ? 0 : 360 * unit() - 180));
        break;
    case ParameterKind::flag:
        performer.set(parameter.name, unit() < 0.4);
        break;
    case ParameterKind::choice:
        performer.set(parameter.name, parameter.of[std::size_t(unit() * double(parameter.of.size()))]);
        break;
    case ParameterKind::signal:
        performer.send(parameter.name);
        break;
    }
}

void RandomInputs::give(Performer& performer) {
    const Character& character = performer.character();
    for (const ParameterInfo& parameter : character.parameters()) {
        if (parameter.computed || parameter.tune) { continue; }
        // What is held is changed every second or two, what is pressed every four.
        const double often = parameter.kind == ParameterKind::signal ? 0.004 : 0.012;
        if (unit() < often) { give(performer, parameter); }
    }
    for (const StateInfo& state : character.states()) {
        const bool one_shot = character.layers()[state.layer].one_shots && !state.nothing;
        if (one_shot && unit() < 0.003) { performer.play_once(state.name); }
    }
    if (enters_ > 0 && unit() < enters_) {
        const auto state = std::uint16_t(unit() * double(character.states().size()));
        performer.enter(character.state(character.full_name(state)), 0.3);
    }
}

void check_random_inputs(const std::shared_ptr<const Character>& given, unsigned seed, double nearly) {
    Performer performer(given);
    const Character& character = *given;
    PlainBody game;
    for (const ParameterInfo& parameter : character.parameters()) {
        if (parameter.name == "speed") { game.speed = character.number("speed"); }
        if (parameter.name == "heading") { game.heading = character.number("heading"); }
    }
    const BodyMover mover = [&](const Performer& moved, double dt) { return game.move(moved, dt); };
    performer.plant_feet({});
    SmoothnessWatch watch(performer);
    RandomInputs inputs(seed);
    std::vector<std::pair<double, std::string>> taken;
    constexpr int frames = 1200;
    for (int frame = 0; frame < frames; ++frame) {
        inputs.give(performer);
        const Performer before = performer;
        performer.advance(1.0 / 60);
        performer.plant_feet(mover(performer, 1.0 / 60));
        for (const TransitionRecord& record : performer.transitions()) {
            const std::string& to = character.states()[character.transitions()[record.transition].to].name;
            taken.emplace_back(record.time, to + " at " + std::to_string(record.time));
        }
        watch.step(before, 1.0 / 60, performer, mover);
    }
    const auto name = [&](int joint) {
        return joint < 0 ? KeptText("-") : character.rig().joints[std::size_t(joint)].name;
    };
    const Pop& pop = watch.pop().worst();
    const Snap snap = watch.worst_snap();
    // What led to the worst.
    std::vector<std::string> before_snap, before_pop;
    for (const auto& [at, what] : taken) {
        if (at <= snap.time && at > snap.time - 1) { before_snap.push_back(what); }
        if (at <= pop.time && at > pop.time - 1) { before_pop.push_back(what); }
    }
    CAPTURE(seed, before_snap, before_pop, watch.worst_seam().time, name(watch.worst_seam().joint), snap.time,
            name(snap.joint), snap.jolt, snap.allowed, pop.time, name(pop.joint), pop.jolt, pop.usual, pop.fade_needed);
    CHECK(watch.worst_seam().degrees <= seam_bound);
    CHECK(snap.ratio <= nearly * snap_ratio_bound);
    CHECK(pop.ratio <= nearly * pop_bound);
}

} // namespace support
