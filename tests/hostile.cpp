#include "hostile.hpp"

#include "machine_support.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>

namespace support {

using namespace gait;

// ---- decisions ----

std::uint8_t Choices::byte() {
    if (endless_) { return std::uint8_t(random_()); }
    return at_ < bytes_.size() ? bytes_[at_++] : std::uint8_t{0};
}

std::size_t Choices::below(std::size_t count) {
    std::size_t value = byte();
    if (count > 256) { value = value << 8U | byte(); }
    return count == 0 ? 0 : value % count;
}

// Each decision in a statement of its own: compilers differ in the order of others, and a find would be lost to one.
double Choices::unit() {
    const std::size_t high = byte();
    return double(high << 8U | byte()) / 65535;
}

double Choices::any_bits() {
    std::uint64_t bits = 0;
    for (int i = 0; i < 8; ++i) { bits = bits << 8U | byte(); }
    double value = 0;
    std::memcpy(&value, &bits, sizeof value);
    return value;
}

double Choices::number() {
    switch (below(4)) {
    case 0:
        return hostile_numbers()[below(hostile_numbers().size())];
    case 1:
        return any_bits();
    default:
        return 20 * unit() - 10;
    }
}

const std::vector<double>& hostile_numbers() {
    static const std::vector<double> numbers{std::numeric_limits<double>::quiet_NaN(),
                                             std::numeric_limits<double>::infinity(),
                                             -std::numeric_limits<double>::infinity(),
                                             0,
                                             -0.0,
                                             -1,
                                             1e-300,
                                             1e-38,
                                             1e-9,
                                             1e9,
                                             1e38,
                                             3.5e38,
                                             1e300,
                                             -1e300,
                                             0.5,
                                             2,
                                             7,
                                             59.999,
                                             61};
    return numbers;
}

// ---- documents ----

void NumberWalk::document(Document& d) {
    number(d.tolerance);
    for (ClipDefinition& c : d.clips) { clip(c); }
    for (ParameterDefinition& p : d.parameters) { parameter(p); }
    for (ValueDefinition& v : d.values) { visit_(v.default_value); }
    number(d.feet.most);
    number(d.feet.release);
    for (MaskDefinition& m : d.masks) {
        number(m.ramp);
        for (auto& [joint, weight] : m.joints) { number(weight); }
    }
    for (NamedMotion& m : d.motions) { motion(m.play); }
    for (NamedMachine& m : d.machines) { machine(m.machine); }
    for (LayerDefinition& l : d.layers) {
        number(l.fade);
        machine(l.machine);
    }
    for (OneShotDefinition& s : d.one_shots) {
        motion(s.play);
        for (Number* n : {&s.fade_in, &s.fade_out, &s.wait}) { number(*n); }
    }
    for (ForbidDefinition& f : d.forbid) { number(f.fade); }
}

void NumberWalk::number(std::optional<Number>& n) {
    if (n) { number(*n); }
}
void NumberWalk::pair(std::pair<Number, Number>& p) {
    number(p.first);
    number(p.second);
}
void NumberWalk::clip(ClipDefinition& c) {
    if (c.cut) { pair(*c.cut); }
    number(c.rate);
    for (MarkDefinition& m : c.marks) { number(m.at); }
    for (SpanDefinition& s : c.spans) {
        number(s.from);
        number(s.to);
    }
}
void NumberWalk::parameter(ParameterDefinition& p) {
    if (p.range) {
        visit_(p.range->first);
        visit_(p.range->second);
    }
    if (p.default_value) { visit_(*p.default_value); }
    number(p.smooth);
    number(p.at_most);
    number(p.keep);
    number(p.wait);
}
void NumberWalk::motion(MotionDefinition& m) {
    if (m.blend) {
        for (PointDefinition& p : m.blend->points) {
            for (Number& n : p.at) { number(n); }
            for (Number& n : p.to) { number(n); }
            motion(p.play);
        }
        for (auto& cell : m.blend->cells) {
            for (Number& n : cell) { number(n); }
        }
        if (m.blend->keep_pace) { pair(*m.blend->keep_pace); }
    }
    if (m.mix) {
        number(m.mix->fade);
        for (MixEntryDefinition& e : m.mix->of) { motion(e.play); }
    }
    if (m.add) {
        number(m.add->fade);
        motion(m.add->what);
        motion(m.add->to);
    }
    if (m.pick) {
        number(m.pick->fade);
        for (PickEntry& e : m.pick->of) {
            motion(e.play);
            number(e.share);
            pair(e.loops);
            number(e.fade);
        }
    }
    if (m.choose) {
        number(m.choose->fade);
        for (ChooseEntry& e : m.choose->of) { motion(e.play); }
    }
}
void NumberWalk::transition(TransitionDefinition& t) {
    number(t.fade);
    if (t.after) { pair(*t.after); }
}
void NumberWalk::machine(MachineDefinition& m) {
    for (TransitionDefinition& t : m.always) { transition(t); }
    for (StateDefinition& s : m.states) {
        motion(s.play);
        if (s.machine) { machine(*s.machine); }
        for (LeadDefinition& l : s.leads) { number(l.fade); }
        for (TransitionDefinition& t : s.go) { transition(t); }
        for (BranchDefinition& b : s.junction) { number(b.fade); }
    }
}
const Document& rich_document() {
    static const Document document = [] {
        const DocumentRead read = read_document_text(
            "gait: 1\nrig: chain.glb\ntolerance: 0.5\n"
            "clips:\n  low: {loop: yes, rate: 1.5}\n  high: {loop: yes}\n  side: {cut: [0.1, 0.9]}\n"
            "  spin: {}\n  swing: {loop: yes}\n  marked: {loop: yes, marks: {tick: 0.3}, spans: {open: [0.2, 0.6]}}\n"
            "parameters:\n  speed: {kind: number, range: [0, 6], default: 1, smooth: 0.1, at_most: 30}\n"
            "  heading: {kind: angle, smooth: 0.1, default: 20}\n  wet: {kind: flag, default: yes}\n"
            "  hands: {kind: choice, of: [free, pole], default: pole}\n"
            "  hop: {kind: signal, keep: 0.2, wait: 0.4}\n  ratio: {kind: number, from: speed / heading}\n"
            "values: {top: {kind: number, default: 3}, can: {kind: flag}, hold: {kind: choice, of: [a, b]}}\n"
            "masks: {upper: {from: joint_1, ramp: 2}, one: {joints: {joint_0: 0.5}}}\n"
            "layers:\n  - name: body\n    machine:\n      start: still\n      always:\n"
            "        - {to: spun, signal: hop, fade: 0.3}\n      states:\n"
            "        still:\n          play: {pick: {fade: 0.2, of: [{play: low, share: 2, loops: [1, 3], fade: 0.1}, "
            "side]}}\n"
            "          go: [{to: plane, after: [0.1, 0.4], fade: 0.2}]\n"
            "        plane:\n          inputs: live\n          play:\n            blend: [heading, speed]\n            "
            "keep_pace: [0.75, 1.5]\n"
            "            points: [{at: [0, 0], play: low}, {at: [0, 2], play: swing}, {at: [90, 2], play: high}, "
            "{at: [-90, 1], to: [-90, 2], play: marked}]\n"
            "          go: [{to: mixed, when: wet, after: 0.3, fade: 0.25, style: inertial}]\n"
            "        mixed:\n          play: {mix: [low, {play: high, weight: speed / 6}], fade: 0.3}\n"
            "          go: [{to: fork, after: 0.2, fade: 0.1}]\n"
            "        fork: {junction: [{to: added, when: hands == pole, fade: 0.3}, {to: line}]}\n"
            "        added:\n          play: {add: side, to: low, weight: 0.5, fade: 0.2}\n"
            "          go: [{to: line, after: 0.2, fade: 0.15, style: frozen}]\n"
            "        line:\n          play: {blend: speed, points: {0: low, 2: swing, 5: high}}\n"
            "          go: [{to: still, after: 0.5, fade: 0.2}]\n"
            "        spun: {play: spin, values: {top: 1}, go: [{to: still, at: end, fade: 0.2}]}\n"
            "  - name: arms\n    mask: upper\n    weight: speed / 3\n    fade: 0.3\n    machine:\n      start: off\n"
            "      states:\n        off: {play: nothing, go: [{to: on, when: wet, fade: 0.2}]}\n"
            "        on: {play: {choose: hands, fade: 0.2, of: {free: low, pole: high}}, go: [{to: off, when: not "
            "wet}]}\n"
            "one_shots: {greet: {play: side, mask: one, fade: [0.1, 0.2], wait: 0.3}}\n"
            "forbid: [{yields: arms.on, while: body.spun, fade: 0.1}]\n",
            "rich.gait.yaml");
        return read.document;
    }();
    return document;
}

const std::shared_ptr<const Character>& rich_character() {
    static const std::shared_ptr<const Character> character = compile(rich_document(), machine_assets()).character;
    return character;
}

// ---- performers ----

std::string fault_of(const Performer& performer) {
    const Character& character = performer.character();
    const auto finite = [](Vec3 v) { return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z); };
    std::vector<Transform> pose(character.joint_count());
    performer.pose(pose);
    for (const Transform& joint : pose) {
        if (!(std::fabs(dot(joint.rotation, joint.rotation) - 1) < 1e-3F)) {
            return "a rotation is not of unit length";
        }
        if (!finite(joint.translation) || !finite(joint.scale)) { return "a joint is moved or scaled to no number"; }
    }
    std::vector<Matrix4> matrices(character.joint_count());
    performer.skinning_matrices(matrices);
    for (const Matrix4& matrix : matrices) {
        if (!std::all_of(std::begin(matrix.elements), std::end(matrix.elements),
                         [](float e) { return std::isfinite(e); })) {
            return "a matrix holds what is no number";
        }
    }
    const Travel travel = performer.travel();
    if (!finite(travel.move) || !std::isfinite(travel.turn) || !std::isfinite(travel.share)) {
        return "the travel is no number";
    }
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        const ParameterInfo& info = character.parameters()[p];
        const NumberParameter handle{{std::uint16_t(p)}};
        for (const float value : {performer.get(handle), performer.smoothed(handle)}) {
            if (!std::isfinite(value) || value < info.low || value > info.high) {
                return info.name + " is out of range";
            }
        }
    }
    for (std::size_t v = 0; v < character.values().size(); ++v) {
        if (!std::isfinite(performer.get(NumberValue{{std::uint16_t(v)}}))) { return "a value is no number"; }
    }
    return {};
}

namespace {

/// An index, mostly one that there is.
template <typename Handle> Handle handle(Choices& choices, std::size_t count) {
    if (!choices.one_in(16)) { return Handle{{std::uint16_t(choices.below(count))}}; }
    const std::size_t high = choices.byte();
    return Handle{{std::uint16_t(high << 8U | choices.byte())}};
}

void set_anything(Performer& performer, Choices& choices) {
    const auto parameters = performer.character().parameters();
    const auto any = handle<NumberParameter>(choices, parameters.size()).index;
    const auto& of = any < parameters.size() ? parameters[any].of : KeptList<KeptText>{};
    switch (choices.below(4)) {
    case 0:
        performer.set(FlagParameter{{any}}, choices.one_in(2));
        break;
    case 1:
        performer.set(ChoiceParameter{{any}}, of.empty() ? KeptText("none") : of[choices.below(of.size())]);
        break;
    case 2:
        performer.send(SignalParameter{{any}});
        break;
    default:
        performer.set(NumberParameter{{any}}, float(choices.number()));
        break;
    }
}

/// Asks all that can be asked.
void ask_anything(const Performer& performer, Choices& choices) {
    const Character& character = performer.character();
    const std::size_t layer = choices.below(character.layers().size() + 1);
    const std::size_t index = choices.below(5);
    std::vector<Transform> pose(choices.below(character.joint_count() + 2));
    std::vector<float> weights(choices.below(character.joint_count() + 2));
    std::vector<ClipView> clips(choices.below(9));
    performer.pose(pose);
    performer.model_pose(pose);
    performer.layer_pose(layer, pose);
    performer.instance_pose(index, pose, layer);
    performer.layer_weights(layer, weights);
    performer.number_tracks(weights);
    (void)performer.instance(index, layer);
    performer.instance_clips(index, clips, layer);
    (void)performer.state_name(layer);
    (void)performer.layer_weight(layer);
    (void)performer.offset_seconds(layer);
    (void)performer.offset_elapsed(layer);
    (void)performer.seconds_to_next_instant();
    const auto state = handle<StateHandle>(choices, character.states().size());
    (void)performer.is_active(state);
    (void)performer.seconds_in(state);
    for (const TransitionRecord& record : performer.transitions()) {
        (void)character.transitions()[record.transition].when.size();
        (void)character.states()[record.from].name.size();
    }
    (void)performer.get(handle<ChoiceParameter>(choices, character.parameters().size()));
    (void)performer.get(handle<ChoiceValue>(choices, character.values().size()));
    if (choices.one_in(8)) { (void)explain_transitions(performer); }
}

void restore_something(Performer& performer, Choices& choices) {
    std::vector<std::byte> bytes(performer.bytes().begin(), performer.bytes().end());
    for (std::size_t changes = 1 + choices.below(4); changes > 0 && !bytes.empty(); --changes) {
        std::byte& changed = bytes[choices.below(bytes.size())];
        const bool whole = choices.one_in(2);
        changed = whole ? std::byte{choices.byte()} : changed ^ std::byte(1U << choices.below(8));
    }
    if (choices.one_in(16)) { bytes.resize(choices.below(bytes.size() + 1)); }
    performer.restore(bytes);
}

} // namespace

void call_anything(Performer& performer, Choices& choices) {
    const Character& character = performer.character();
    static EventList events(64);
    const std::size_t call = choices.below(14);
    const auto state = handle<StateHandle>(choices, character.states().size());
    const double number = choices.number(), other = choices.number();
    switch (call) {
    case 0:
        performer.enter(state, number, Ease(choices.below(8)));
        break;
    case 1:
        performer.enter(state, choices.unit());
        break;
    case 2:
        performer.play_once(OneShotHandle{{state.index}});
        break;
    case 3:
        performer.stop_once(OneShotHandle{{state.index}}, number);
        break;
    case 4:
        performer.set_scale(float(number));
        break;
    case 5:
        performer.set_moved_by(choices.one_in(2) ? Mover::game : Mover::clip);
        performer.set_seed(choices.byte());
        break;
    case 6:
        if (choices.one_in(8)) { performer.reset(); }
        break;
    case 7:
        performer.advance(number, events);
        break;
    case 8:
        performer.plant_feet({{float(number), 0, float(other)}, float(choices.number()), 1});
        break;
    case 9:
        performer.unbend_legs();
        break;
    case 10:
        restore_something(performer, choices);
        break;
    case 11:
        ask_anything(performer, choices);
        break;
    case 12: {
        Performer copy = performer;
        copy.advance(0.1 * choices.unit());
        performer = copy;
        break;
    }
    default:
        set_anything(performer, choices);
        break;
    }
}

std::string play_hard(Performer& performer, Choices& choices, int frames, bool calls) {
    for (int frame = 0; frame < frames && !choices.ended(); ++frame) {
        for (std::size_t c = choices.below(4); c > 0; --c) {
            if (calls) {
                call_anything(performer, choices);
            } else {
                set_anything(performer, choices);
            }
        }
        performer.advance(choices.one_in(10) ? 0 : 0.2 * choices.unit());
        performer.plant_feet(performer.travel());
        if (std::string fault = fault_of(performer); !fault.empty()) { return fault; }
    }
    return {};
}

} // namespace support
