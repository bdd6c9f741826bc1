#include "compile/one_shots.hpp"

#include <algorithm>

namespace gait::detail {
namespace {

constexpr const char* waiting = "waiting"; ///< the state in which a layer of one-shots lets those below show

LayerDefinition& layer_for(Document& document, std::size_t own, const Text& mask) {
    for (std::size_t l = own; l < document.layers.size(); ++l) {
        if (document.layers[l].mask.value == mask.value) { return document.layers[l]; }
    }
    LayerDefinition& layer = document.layers.emplace_back();
    layer.name = Text("once_" + (mask.empty() ? "body" : mask.value), mask.place);
    layer.mask = mask;
    layer.machine.start = waiting;
    StateDefinition& wait = layer.machine.states.emplace_back();
    wait.name = waiting;
    wait.play.nothing = true;
    return layer;
}

void add(Document& document, std::size_t own, const OneShotDefinition& shot) {
    ParameterDefinition signal;
    signal.name = shot.name;
    signal.kind = ParameterKind::signal;
    signal.wait = shot.wait;
    signal.note = "asks for the one-shot";
    // One that is queued waits for as long as it takes.
    constexpr double for_ever = 3600; // seconds
    if (shot.again == OneShotAgain::queue) { signal.keep = for_ever; }
    document.parameters.push_back(signal);

    LayerDefinition& layer = layer_for(document, own, shot.mask);
    TransitionDefinition begin;
    begin.to = shot.name;
    begin.signal = shot.name;
    begin.fade = shot.fade_in;
    begin.again = shot.again == OneShotAgain::restart;
    begin.place = shot.place;
    layer.machine.always.push_back(begin);
    StateDefinition& state = layer.machine.states.emplace_back();
    state.name = shot.name;
    state.play = shot.play;
    TransitionDefinition end;
    end.to = waiting;
    end.at_end = true;
    end.if_it_ends = !shot.until.empty();
    end.fade = shot.fade_out;
    end.place = shot.place;
    if (!shot.until.empty()) {
        TransitionDefinition until = end;
        until.at_end = until.if_it_ends = false;
        until.when = shot.until;
        state.go.push_back(until);
    }
    state.go.push_back(end);
}

} // namespace

Document with_one_shot_layers(const Document& document) {
    Document whole = document;
    for (const OneShotDefinition& shot : document.one_shots) { add(whole, document.layers.size(), shot); }
    return whole;
}

} // namespace gait::detail
