#include "files/write_file.hpp"
#include "files/yaml_tree.hpp"
#include "gait/compile.hpp"
#include "machine/call.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <tuple>

namespace gait {
namespace {

class DocumentReader {
public:
    DocumentReader(Document& document, DiagnosticSink& sink) : document_(document), sink_(sink) {}

    /// Returns what the document is based on, if anything.
    Text read(const YamlNode& root) {
        const YamlMap map(root, "a document",
                          {"gait", "about", "based_on", "rig", "tolerance", "clips", "clip_sets", "fits", "mirror",
                           "parameters", "values", "feet", "masks", "motions", "machines", "layers", "one_shots",
                           "forbid", "decide"},
                          sink_);
        if (!map.is_map()) { return {}; }
        const Text based_on = map.text("based_on");
        based_ = !based_on.empty();
        const YamlNode* version = map.find("gait");
        if (version == nullptr) {
            sink_.error(root.place, "missing-key",
                        "a document begins with 'gait: 1', the version of its language; add that line");
        } else if (!version->is_scalar() || version->scalar != "1") {
            sink_.error(version->place, "unknown-version",
                        fmt::format("this library reads documents of version 1; found {}", describe(*version)));
        }
        document_.about = map.text("about").value;
        if (map.find("rig") == nullptr && !based_) {
            sink_.error(root.place, "missing-key", "no rig is named; add 'rig: FILE.glb'");
        }
        document_.rig = map.text("rig");
        if (const auto tolerance = map.number("tolerance", "millimetres")) { document_.tolerance = *tolerance; }
        if (const YamlNode* clips = map.find("clips")) { read_clips(*clips); }
        if (const YamlNode* sets = map.find("clip_sets")) { read_clip_sets(*sets); }
        if (const YamlNode* fits = map.find("fits")) { read_fits(*fits); }
        if (const YamlNode* mirror = map.find("mirror")) { document_.mirror = read_name_pairs(*mirror, "'mirror'"); }
        if (const YamlNode* parameters = map.find("parameters")) { read_parameters(*parameters); }
        if (const YamlNode* values = map.find("values")) { read_values(*values); }
        if (const YamlNode* feet = map.find("feet")) { read_feet(*feet); }
        if (const YamlNode* masks = map.find("masks")) { read_masks(*masks); }
        if (const YamlNode* motions = map.find("motions")) { read_named(*motions); }
        if (const YamlNode* machines = map.find("machines")) { read_machines(*machines); }
        if (const YamlNode* one_shots = map.find("one_shots")) { read_one_shots(*one_shots); }
        if (const YamlNode* forbid = map.find("forbid")) {
            for (const YamlNode* item : list_items(*forbid, "'forbid'", sink_)) {
                document_.forbid.push_back(read_forbid(*item));
            }
        }
        if (const YamlNode* decide = map.find("decide")) {
            for (const YamlNode* layer : list_items(*decide, "'decide'", sink_)) {
                document_.decide.push_back(to_text(*layer, "a layer's name", sink_));
            }
        }
        const YamlNode* layers = map.find("layers");
        if (layers != nullptr && based_) {
            sink_.error(layers->place, "wrong-base",
                        "a document takes its layers from the one it is based on; remove 'layers' here, or 'based_on'");
        } else if (layers != nullptr) {
            for (const YamlNode* layer : list_items(*layers, "'layers'", sink_)) {
                document_.layers.push_back(read_layer(*layer));
            }
        } else if (!based_) {
            sink_.error(root.place, "missing-key", "nothing is played yet; add 'layers:' with a name and a machine");
        }
        return based_on;
    }

private:
    static constexpr const char* clip_settings[] = {"file",   "animation", "fit",  "cut",  "reverse", "mirror",
                                                    "travel", "seam",      "rate", "loop", "marks",   "spans"};

    void read_clips(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "clips", sink_)) {
            ClipDefinition clip;
            clip.name = name;
            clip.place = value->place;
            if (value->kind != YamlNode::Kind::null) {
                read_clip_settings(
                    YamlMap(*value, "a clip", {std::begin(clip_settings), std::end(clip_settings)}, sink_), clip);
            }
            document_.clips.push_back(std::move(clip));
        }
    }

    /// Clips that share a file and settings, each by its name in the file.
    void read_clip_sets(const YamlNode& node) {
        std::vector<std::string> keys{"take", "prefix", "suffix"};
        for (const char* key : clip_settings) {
            if (std::string_view(key) != "animation") { keys.emplace_back(key); }
        }
        for (const YamlNode* item : list_items(node, "'clip_sets'", sink_)) {
            const YamlMap map(*item, "a clip set", keys, sink_);
            ClipDefinition common;
            common.place = item->place;
            read_clip_settings(map, common);
            const Text prefix = map.text("prefix"), suffix = map.text("suffix");
            const YamlNode* take = map.find("take");
            if (take == nullptr || !take->is_sequence()) {
                if (map.is_map()) {
                    sink_.error(take == nullptr ? item->place : take->place, "missing-key",
                                "a clip set lists the animations it takes; add 'take: [NAME, NAME]'");
                }
                continue;
            }
            for (const YamlNode& name : take->items) {
                ClipDefinition clip = common;
                clip.animation = to_text(name, "an animation's name", sink_);
                clip.name = Text(prefix.value + clip.animation.value + suffix.value, clip.animation.place);
                if (!clip.animation.empty()) { document_.clips.push_back(std::move(clip)); }
            }
        }
    }

    void read_clip_settings(const YamlMap& map, ClipDefinition& clip) {
        clip.file = map.text("file");
        clip.animation = map.text("animation");
        clip.fit = map.text("fit");
        if (const YamlNode* cut = map.find("cut")) {
            clip.cut = read_window(*cut, "'cut' is the first and the last second to keep");
        }
        clip.reverse = map.flag("reverse").value_or(false);
        clip.mirror = map.flag("mirror").value_or(false);
        if (const YamlNode* travel = map.find("travel")) { clip.travel = read_travel(*travel); }
        if (const auto seam = map.number("seam", "degrees")) {
            clip.seam = *seam;
            if (!(seam->value > 0) || seam->value > 180) {
                sink_.error(seam->place, "wrong-range",
                            fmt::format("'seam' closes more than 0 and at most 180 degrees; found {}", seam->value));
            }
        }
        if (const auto rate = map.number("rate", "times as fast")) {
            clip.rate = rate->value;
            if (!(rate->value >= 0.01) || rate->value > 100) {
                sink_.error(
                    rate->place, "wrong-range",
                    fmt::format("'rate' is 0.01 to 100 times as fast; found {}; for the way back write 'reverse: yes'",
                                rate->value));
                clip.rate = 1;
            }
        }
        clip.loop = map.flag("loop").value_or(false);
        if (const YamlNode* marks = map.find("marks")) {
            for (const auto& [name, value] : named_entries(*marks, "marks", sink_)) {
                if (const auto at = to_number(*value, "a mark's second", sink_)) { clip.marks.push_back({name, *at}); }
            }
        }
        if (const YamlNode* spans = map.find("spans")) {
            for (const auto& [name, value] : named_entries(*spans, "spans", sink_)) {
                if (const auto window = read_window(*value, "a span is its first and its last second")) {
                    clip.spans.push_back({name, window->first, window->second});
                }
            }
        }
    }

    std::optional<std::pair<Number, Number>> read_window(const YamlNode& node, const char* what) {
        if (!node.is_sequence() || node.items.size() != 2) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("{}, such as [0.2, 1.4]; found {}", what, describe(node)));
            return std::nullopt;
        }
        const auto from = to_number(node.items[0], "the first second", sink_),
                   to = to_number(node.items[1], "the last second", sink_);
        if (!from || !to) { return std::nullopt; }
        return std::pair(*from, *to);
    }

    /// A joint's name, or a map with `joint` and `take`.
    std::optional<TravelDefinition> read_travel(const YamlNode& node) {
        TravelDefinition travel;
        if (node.is_scalar()) {
            travel.joint = to_text(node, "'travel'", sink_);
            if (!node.quoted && (node.scalar == "no" || node.scalar == "false")) { return std::nullopt; }
            return travel;
        }
        const YamlMap map(node, "'travel'", {"joint", "take"}, sink_);
        if (!map.is_map()) { return std::nullopt; }
        travel.joint = map.text("joint");
        if (map.find("joint") == nullptr) {
            sink_.error(node.place, "missing-key", "'travel' does not say whose way it takes; add 'joint: hips'");
            return std::nullopt;
        }
        if (const YamlNode* take = map.find("take")) {
            travel.forward = travel.sideways = travel.vertical = travel.turn = false;
            for (const YamlNode* item : list_items(*take, "'take'", sink_)) {
                const Text word = to_text(*item, "what to take", sink_);
                if (word.value == "forward") {
                    travel.forward = true;
                } else if (word.value == "sideways") {
                    travel.sideways = true;
                } else if (word.value == "vertical") {
                    travel.vertical = true;
                } else if (word.value == "turn") {
                    travel.turn = true;
                } else if (!word.empty()) {
                    sink_.unknown(word.place, "part of a way", word.value, {"forward", "sideways", "vertical", "turn"});
                }
            }
        }
        return travel;
    }

    void read_fits(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "fits", sink_)) {
            FitDefinition fit;
            fit.name = name;
            const YamlMap map(*value, "a fit", {"strip", "joints", "scale", "up", "turn"}, sink_);
            fit.strip = map.text("strip");
            if (const YamlNode* joints = map.find("joints")) {
                fit.joints = read_name_pairs(*joints, "'joints' of a fit");
            }
            if (const auto scale = map.number("scale", "metres a unit")) {
                fit.scale = *scale;
                if (!(scale->value > 0) || scale->value > 1000) {
                    sink_.error(
                        scale->place, "wrong-range",
                        fmt::format("'scale' is how many metres a unit is, such as 0.01; found {}", scale->value));
                    fit.scale.reset();
                }
            }
            fit.up = map.text("up");
            if (!fit.up.empty() && fit.up.value != "y" && fit.up.value != "z") {
                sink_.unknown(fit.up.place, "axis", fit.up.value, {"y", "z"});
                fit.up = {};
            }
            if (const YamlNode* turn = map.find("turn")) { read_turns(*turn, fit); }
            document_.fits.push_back(std::move(fit));
        }
    }

    std::vector<std::pair<Text, Text>> read_name_pairs(const YamlNode& node, const std::string& what) {
        std::vector<std::pair<Text, Text>> pairs;
        for (const auto& [from, value] : named_entries(node, what, sink_)) {
            if (Text to = to_text(*value, "a joint's name", sink_); !to.empty()) {
                pairs.emplace_back(from, std::move(to));
            }
        }
        return pairs;
    }

    void read_turns(const YamlNode& node, FitDefinition& fit) {
        for (const auto& [joint, value] : named_entries(node, "'turn' of a fit", sink_)) {
            std::array<double, 3> degrees{};
            if (!value->is_sequence() || value->items.size() != 3) {
                sink_.error(
                    value->place, "wrong-shape",
                    fmt::format("a turn is degrees about X, Y and Z, such as [0, 0, -45]; found {}", describe(*value)));
                continue;
            }
            bool good = true;
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const auto number = to_number(value->items[axis], "degrees", sink_);
                good = good && number.has_value();
                degrees[axis] = number ? number->value : 0;
            }
            if (good) { fit.turn.emplace_back(joint, degrees); }
        }
    }

    struct KindName {
        std::string_view name;
        ParameterKind kind;
    };
    static constexpr std::array<KindName, 5> kinds{{{"number", ParameterKind::number},
                                                    {"angle", ParameterKind::angle},
                                                    {"flag", ParameterKind::flag},
                                                    {"choice", ParameterKind::choice},
                                                    {"signal", ParameterKind::signal}}};

    /// The kind that `map` says, one of the first `count`.
    std::optional<ParameterKind> read_kind(const YamlMap& map, std::size_t count, const std::string& what) {
        const Text word = map.text("kind");
        std::vector<std::string> names;
        for (std::size_t k = 0; k < count; ++k) {
            if (kinds[k].name == word.value) { return kinds[k].kind; }
            names.emplace_back(kinds[k].name);
        }
        if (!word.empty()) { sink_.unknown(word.place, what, word.value, names); }
        return std::nullopt;
    }

    std::vector<Text> read_names(const YamlNode& node, const std::string& list, const std::string& item) {
        std::vector<Text> names;
        if (node.is_scalar()) {
            names.push_back(to_text(node, list, sink_));
            return names;
        }
        for (const YamlNode* name : list_items(node, list, sink_)) { names.push_back(to_text(*name, item, sink_)); }
        return names;
    }

    /// Says which keys a kind has no use for.
    void refuse(const YamlMap& map, const Text& name, const char* kind, std::initializer_list<const char*> keys) {
        for (const char* key : keys) {
            if (const YamlNode* extra = map.find(key)) {
                sink_.error(
                    extra->place, "wrong-shape",
                    fmt::format("'{}' is {} and has no '{}'; remove it, or write another kind", name.value, kind, key));
            }
        }
    }

    void refuse_by_kind(const YamlMap& map, const ParameterDefinition& parameter) {
        const Text& name = parameter.name;
        switch (parameter.kind) {
        case ParameterKind::flag:
            refuse(map, name, "a flag", {"range", "unit", "smooth", "at_most", "of", "keep", "wait"});
            break;
        case ParameterKind::choice:
            refuse(map, name, "a choice", {"range", "unit", "smooth", "at_most", "keep", "wait"});
            break;
        case ParameterKind::signal:
            refuse(map, name, "a signal",
                   {"range", "unit", "smooth", "at_most", "of", "default", "from", "remember", "greatest", "since",
                    "on_when", "flips_on"});
            break;
        case ParameterKind::angle:
            refuse(map, name, "an angle", {"range", "of", "keep", "wait"});
            break;
        case ParameterKind::number:
            refuse(map, name, "a number", {"of", "keep", "wait"});
            break;
        }
    }

    void read_parameters(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "parameters", sink_)) {
            ParameterDefinition parameter;
            parameter.name = name;
            const YamlMap map(*value, "a parameter",
                              {"kind",    "of",      "range",    "default",  "unit",  "note",     "smooth",
                               "at_most", "tune",    "keep",     "wait",     "from",  "remember", "greatest",
                               "since",   "on_when", "off_when", "flips_on", "while", "clear"},
                              sink_);
            if (const auto kind = read_kind(map, kinds.size(), "parameter kind")) {
                parameter.kind = *kind;
            } else if (map.is_map() && map.find("kind") == nullptr && !based_) {
                sink_.error(name.place, "missing-key",
                            fmt::format("parameter '{}' does not say its kind; add 'kind: number' or angle, flag, "
                                        "choice, signal",
                                        name.value));
            }
            if (const YamlNode* of = map.find("of")) { parameter.of = read_names(*of, "'of'", "a value's name"); }
            if (const YamlNode* range = map.find("range")) { read_range(*range, parameter); }
            if (const YamlNode* value_node = map.find("default")) {
                parameter.default_value = read_default(*value_node, parameter.kind, parameter.of, parameter.range);
            }
            if (map.find("unit") != nullptr) { parameter.unit = map.text("unit").value; }
            if (map.find("note") != nullptr) { parameter.note = map.text("note").value; }
            parameter.smooth = map.number("smooth", "seconds");
            parameter.at_most = map.number("at_most", "a second");
            parameter.tune = map.flag("tune").value_or(false);
            parameter.keep = map.number("keep", "seconds").value_or(Number(0));
            parameter.wait = map.number("wait", "seconds").value_or(Number(0));
            parameter.from = map.text("from");
            parameter.remember = map.text("remember");
            parameter.greatest = map.text("greatest");
            parameter.since = map.text("since");
            parameter.on_when = map.text("on_when");
            parameter.off_when = map.text("off_when");
            parameter.flips_on = map.text("flips_on");
            parameter.only_while = map.text("while");
            parameter.clear = map.text("clear");
            // What changes a parameter of the base need not say its kind again.
            if (!based_ || map.find("kind") != nullptr) { refuse_by_kind(map, parameter); }
            document_.parameters.push_back(std::move(parameter));
        }
    }

    void read_values(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "values", sink_)) {
            ValueDefinition definition;
            definition.name = name;
            const YamlMap map(*value, "a value", {"kind", "of", "default", "unit", "note", "switch"}, sink_);
            if (const auto kind = read_kind(map, 4, "value kind")) { definition.kind = *kind; }
            if (definition.kind == ParameterKind::angle) {
                sink_.error(value->place, "wrong-type",
                            "a value is a number, a flag or a choice; give the angle as a number");
                definition.kind = ParameterKind::number;
            }
            if (const YamlNode* of = map.find("of")) { definition.of = read_names(*of, "'of'", "a value's name"); }
            if (const YamlNode* value_node = map.find("default")) {
                definition.default_value =
                    read_default(*value_node, definition.kind, definition.of, std::nullopt).value_or(0);
            }
            if (const Text word = map.text("switch"); !word.empty()) {
                definition.at_middle = word.value == "middle";
                if (word.value != "middle" && word.value != "start") {
                    sink_.unknown(word.place, "switch", word.value, {"start", "middle"});
                }
            }
            if (map.find("unit") != nullptr) { definition.unit = map.text("unit").value; }
            if (map.find("note") != nullptr) { definition.note = map.text("note").value; }
            document_.values.push_back(std::move(definition));
        }
    }

    void read_range(const YamlNode& node, ParameterDefinition& parameter) {
        if (!node.is_sequence() || node.items.size() != 2) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("a range is its lowest and highest value, such as [0, 6]; found {}", describe(node)));
            return;
        }
        const auto low = to_number(node.items[0], "the lowest value", sink_),
                   high = to_number(node.items[1], "the highest value", sink_);
        if (!low || !high) { return; }
        if (!(low->value < high->value)) {
            sink_.error(
                node.place, "wrong-range",
                fmt::format("the range [{}, {}] is empty; write the lower value first", low->value, high->value));
            return;
        }
        parameter.range = {low->value, high->value};
    }

    std::optional<double> read_default(const YamlNode& node, ParameterKind kind, const std::vector<Text>& of,
                                       const std::optional<std::pair<double, double>>& range) {
        if (kind == ParameterKind::flag) {
            if (const auto value = to_flag(node, "the default of a flag", sink_)) { return *value ? 1 : 0; }
            return std::nullopt;
        }
        if (kind == ParameterKind::choice) {
            const Text word = to_text(node, "the default of a choice", sink_);
            std::vector<std::string> names;
            for (std::size_t i = 0; i < of.size(); ++i) {
                if (of[i].value == word.value) { return double(i); }
                names.push_back(of[i].value);
            }
            if (!word.empty()) { sink_.unknown(word.place, "value", word.value, names); }
            return std::nullopt;
        }
        const auto value = to_number(node, "the default of a number", sink_);
        if (!value) { return std::nullopt; }
        if (range && (value->value < range->first || value->value > range->second)) {
            sink_.error(node.place, "wrong-range",
                        fmt::format("the default {} lies outside the range [{}, {}]", value->value, range->first,
                                    range->second));
        }
        return value->value;
    }

    LayerDefinition read_layer(const YamlNode& node) {
        LayerDefinition layer;
        layer.place = node.place;
        const YamlMap map(
            node, "a layer",
            {"name", "mask", "weight", "fade", "mode", "space", "against", "travel", "in_step_with", "machine"}, sink_);
        layer.name = map.text("name");
        layer.mask = map.text("mask");
        layer.weight = map.text("weight");
        layer.against = map.text("against");
        layer.in_step_with = map.text("in_step_with");
        layer.takes_travel = map.flag("travel").value_or(false);
        read_seconds(map, "fade", layer.fade);
        if (const Text mode = map.text("mode"); !mode.empty()) {
            if (mode.value != "replace" && mode.value != "add") {
                sink_.unknown(mode.place, "mode", mode.value, {"replace", "add"});
            }
            layer.mode = mode.value == "add" ? LayerMode::add : LayerMode::replace;
        }
        if (const Text space = map.text("space"); !space.empty()) {
            if (space.value != "local" && space.value != "model") {
                sink_.unknown(space.place, "space", space.value, {"local", "model"});
            }
            layer.space = space.value == "model" ? LayerSpace::model : LayerSpace::local;
        }
        if (!layer.against.empty() && layer.mode != LayerMode::add) {
            sink_.error(layer.against.place, "wrong-shape",
                        "'against' is what a layer's differences are measured against; write 'mode: add' beside it, or "
                        "remove it");
        }
        if (map.is_map() && map.find("name") == nullptr) {
            sink_.error(node.place, "missing-key", "this layer has no name; add 'name: body'");
        }
        if (const YamlNode* machine = map.find("machine")) {
            layer.machine = read_machine(*machine);
        } else if (map.is_map()) {
            sink_.error(node.place, "missing-key",
                        "this layer has no machine; add 'machine:' with 'start' and 'states'");
        }
        return layer;
    }

    /// Seconds from 0 to 60, where they are said.
    void read_seconds(const YamlMap& map, const char* key, Number& to) {
        const auto seconds = map.number(key, "seconds");
        if (!seconds) { return; }
        constexpr double longest = 60;
        if (seconds->value >= 0 && seconds->value <= longest) {
            to = *seconds;
            return;
        }
        sink_.error(seconds->place, "wrong-range",
                    fmt::format("'{}' is 0 to {} seconds; found {}", key, longest, seconds->value));
    }

    void read_one_shots(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "one_shots", sink_)) {
            OneShotDefinition shot;
            shot.name = name;
            shot.place = value->place;
            const YamlMap map(*value, fmt::format("one-shot '{}'", name.value),
                              {"play", "mask", "fade", "again", "wait", "until"}, sink_);
            if (const YamlNode* play = map.find("play")) {
                shot.play = read_motion(*play, 0);
            } else if (map.is_map()) {
                sink_.error(value->place, "missing-key",
                            fmt::format("one-shot '{}' plays nothing; add 'play: CLIP'", name.value));
            }
            shot.mask = map.text("mask");
            shot.until = map.text("until");
            read_seconds(map, "wait", shot.wait);
            if (const YamlNode* fade = map.find("fade"); fade != nullptr && fade->is_sequence()) {
                const auto window = read_window(*fade, "'fade' is the seconds of the fade in, and of the fade out");
                if (window) { std::tie(shot.fade_in, shot.fade_out) = *window; }
            } else if (fade != nullptr) {
                read_seconds(map, "fade", shot.fade_in);
                shot.fade_out = shot.fade_in;
            }
            if (const Text again = map.text("again"); !again.empty()) {
                if (again.value == "restart") {
                    shot.again = OneShotAgain::restart;
                } else if (again.value == "queue") {
                    shot.again = OneShotAgain::queue;
                } else if (again.value != "ignore") {
                    sink_.unknown(again.place, "way", again.value, {"ignore", "restart", "queue"});
                }
            }
            document_.one_shots.push_back(std::move(shot));
        }
    }

    ForbidDefinition read_forbid(const YamlNode& node) {
        ForbidDefinition forbid;
        forbid.place = node.place;
        const YamlMap map(node, "an entry of 'forbid'", {"yields", "while", "when", "except", "to", "fade"}, sink_);
        forbid.yields = map.text("yields");
        forbid.while_active = map.text("while");
        forbid.when = map.text("when");
        forbid.to = map.text("to");
        read_seconds(map, "fade", forbid.fade);
        if (const YamlNode* except = map.find("except")) {
            for (const YamlNode* state : list_items(*except, "'except'", sink_)) {
                forbid.except.push_back(to_text(*state, "a state's name", sink_));
            }
        }
        if (map.is_map() && (forbid.yields.empty() || forbid.while_active.empty())) {
            sink_.error(node.place, "missing-key",
                        "this says what may not be at once; write {yields: arms.raised, while: legs.running}");
        }
        return forbid;
    }

    MachineDefinition read_machine(const YamlNode& node, int depth = 0) {
        MachineDefinition machine;
        machine.place = node.place;
        constexpr int deepest = 64; // far beyond what compiles, and no stack's end
        if (depth > deepest) {
            sink_.error(node.place, "too-deep", "machines nest too deeply here");
            return machine;
        }
        const YamlMap map(node, "a machine", {"start", "from_here", "always", "states"}, sink_);
        machine.start = map.text("start");
        machine.from_here = map.flag("from_here").value_or(false);
        if (const YamlNode* always = map.find("always")) {
            for (const YamlNode* item : list_items(*always, "'always'", sink_)) {
                machine.always.push_back(read_transition(*item, true));
            }
        }
        if (const YamlNode* states = map.find("states")) {
            for (const auto& [name, value] : named_entries(*states, "states", sink_)) {
                machine.states.push_back(read_state(name, *value, depth));
            }
        }
        return machine;
    }

    StateDefinition read_state(const Text& name, const YamlNode& node, int depth) {
        StateDefinition state;
        state.name = name;
        const YamlMap map(
            node, fmt::format("state '{}'", name.value),
            {"play", "machine", "junction", "resume", "moved_by", "travel", "whole_body", "leads", "values", "go"},
            sink_);
        state.takes_travel = map.flag("travel").value_or(false);
        state.whole_body = map.flag("whole_body").value_or(false);
        if (const YamlNode* leads = map.find("leads")) {
            for (const YamlNode* item : list_items(*leads, "'leads'", sink_)) {
                LeadDefinition lead;
                lead.place = item->place;
                const YamlMap lead_map(*item, "a lead", {"layer", "to", "when", "fade"}, sink_);
                lead.layer = lead_map.text("layer");
                lead.to = lead_map.text("to");
                lead.when = lead_map.text("when");
                read_seconds(lead_map, "fade", lead.fade);
                if (lead_map.is_map() && (lead.layer.empty() || lead.to.empty())) {
                    sink_.error(item->place, "missing-key",
                                "a lead sends another layer to a state; write {layer: legs, to: still}");
                }
                state.leads.push_back(std::move(lead));
            }
        }
        if (const Text mover = map.text("moved_by"); !mover.empty()) {
            state.game_moves = mover.value == "game";
            if (mover.value != "game" && mover.value != "clip") {
                sink_.unknown(mover.place, "mover", mover.value, {"clip", "game"});
            }
        }
        const YamlNode *play = map.find("play"), *machine = map.find("machine"), *junction = map.find("junction");
        if (int(play != nullptr) + int(machine != nullptr) + int(junction != nullptr) > 1) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("state '{}' is one thing: write 'play', 'machine' or 'junction', not several", name.value));
        }
        if (play != nullptr) { state.play = read_motion(*play, 0); }
        if (machine != nullptr && machine->is_scalar()) {
            state.machine_name = to_text(*machine, "'machine'", sink_);
        } else if (machine != nullptr) {
            state.machine = read_machine(*machine, depth + 1);
        }
        state.resume = map.flag("resume").value_or(false);
        if (state.resume && machine == nullptr) {
            sink_.error(map.find("resume")->place, "wrong-shape",
                        "'resume' goes on where a machine was left, and this state has none; remove it");
        }
        if (junction != nullptr) { read_junction(*junction, map, state); }
        if (const YamlNode* values = map.find("values")) {
            for (const auto& [value_name, value] : named_entries(*values, "values of a state", sink_)) {
                state.values.emplace_back(value_name, to_text(*value, "a value", sink_));
            }
        }
        if (const YamlNode* go = map.find("go")) {
            for (const YamlNode* item : list_items(*go, "'go'", sink_)) {
                state.go.push_back(read_transition(*item, false));
            }
        }
        return state;
    }

    void read_junction(const YamlNode& node, const YamlMap& state_map, StateDefinition& state) {
        for (const char* key : {"go", "values", "moved_by", "leads", "whole_body", "travel"}) {
            if (const YamlNode* extra = state_map.find(key)) {
                sink_.error(extra->place, "wrong-shape",
                            fmt::format("a junction is passed at once and has no '{}'; remove it", key));
            }
        }
        for (const YamlNode* item : list_items(node, "'junction'", sink_)) {
            BranchDefinition branch;
            branch.place = item->place;
            const YamlMap map(*item, "a branch", {"to", "when", "fade"}, sink_);
            branch.to = map.text("to");
            if (map.is_map() && map.find("to") == nullptr) {
                sink_.error(item->place, "missing-key", "this branch leads nowhere; add 'to: STATE'");
            }
            branch.when = map.text("when");
            branch.fade = map.number("fade", "seconds");
            state.junction.push_back(std::move(branch));
        }
        if (state.junction.empty()) {
            sink_.error(node.place, "missing-key", "a junction needs branches, such as [{to: A, when: wet}, {to: B}]");
        }
    }

    /// `paces(ahead, quick)`: a name, and names that stand for what is handed in.
    std::vector<Text> read_arguments(Text& name) {
        std::vector<Text> arguments;
        const std::size_t open = name.value.find('(');
        if (open == std::string::npos) { return arguments; }
        const auto call = split_call(name);
        if (!call) {
            sink_.error(name.place, "wrong-name",
                        fmt::format("'{}' is not a name with arguments; write NAME or NAME(one, other)", name.value));
            name.value.resize(open);
            return arguments;
        }
        name = call->name;
        return call->arguments;
    }

    void read_named(const YamlNode& motions) {
        for (auto& [name, value] : named_entries(motions, "motions", sink_)) {
            NamedMotion& named = document_.motions.emplace_back();
            named.name = name;
            named.arguments = read_arguments(named.name);
            named.play = read_motion(*value, 0);
        }
    }

    void read_machines(const YamlNode& machines) {
        for (auto& [name, value] : named_entries(machines, "machines", sink_)) {
            NamedMachine& named = document_.machines.emplace_back();
            named.name = name;
            named.arguments = read_arguments(named.name);
            named.machine = read_machine(*value);
        }
    }

    MotionDefinition read_motion(const YamlNode& node, int depth) {
        MotionDefinition motion;
        motion.place = node.place;
        constexpr int deepest = 64;
        if (depth > deepest) {
            sink_.error(node.place, "too-deep", "motions nest too deeply here");
            return motion;
        }
        if (node.is_scalar()) {
            motion.clip = to_text(node, "a motion", sink_);
            motion.nothing = motion.clip.value == "nothing";
            if (motion.nothing) { motion.clip = {}; }
            return motion;
        }
        if (!node.is_map()) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("'play' is the name of a clip or motion, or a map with 'clip', 'blend', 'mix', "
                                    "'add', 'pick' or 'choose'; found {}",
                                    describe(node)));
            return motion;
        }
        const YamlMap map(node, "a motion",
                          {"clip",  "loop",    "rate", "sync",      "mirror", "reverse", "blend", "points",
                           "weigh", "cells",   "fill", "keep_pace", "mix",    "add",     "to",    "weight",
                           "mask",  "against", "pick", "choose",    "of",     "fade"},
                          sink_);
        motion.loop = map.flag("loop");
        motion.rate = map.text("rate");
        motion.mirror = map.flag("mirror").value_or(false);
        motion.reverse = map.flag("reverse").value_or(false);
        if (const YamlNode* sync = map.find("sync")) { motion.sync = read_sync(*sync); }
        std::vector<std::string> said;
        for (const char* key : {"clip", "blend", "mix", "add", "pick", "choose"}) {
            if (map.find(key) != nullptr) { said.emplace_back(key); }
        }
        if (said.size() > 1) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("a motion is either a '{}' or a '{}'; remove one of them", said[0], said[1]));
        } else if (said.empty()) {
            sink_.error(node.place, "wrong-shape",
                        "this motion plays nothing; add 'clip: NAME', 'blend: PARAMETER' with 'points', 'mix', 'add', "
                        "'pick' or 'choose'");
        }
        const auto belongs = [&](const char* key, std::initializer_list<std::string_view> owners, const char* what) {
            const YamlNode* extra = map.find(key);
            if (extra == nullptr || said.size() != 1) { return; }
            if (std::find(owners.begin(), owners.end(), said[0]) == owners.end()) {
                sink_.error(extra->place, "wrong-shape", fmt::format("'{}' belongs to {}", key, what));
            }
        };
        for (const char* key : {"points", "weigh", "cells", "fill", "keep_pace"}) {
            belongs(key, {"blend"}, "a blend space; add 'blend: PARAMETER' or remove it");
        }
        for (const char* key : {"to", "against"}) {
            belongs(key, {"add"}, "an addition; add 'add: MOTION' or remove it");
        }
        belongs("sync", {"clip", "blend", "mix", "add"}, "what plays clips; write it inside the pick or choose");
        belongs("of", {"choose"}, "a 'choose'; write it there, or remove it");
        belongs("weight", {"add"}, "an 'add' or an entry of a mix; write it there");
        belongs("mask", {"add"}, "an 'add' or an entry of a mix; write it there");
        belongs("fade", {"choose", "mix", "add"}, "a 'choose', a mix, an addition or a transition; remove it");
        for (const char* key : {"rate", "mirror", "reverse"}) {
            belongs(key, {"clip", "blend", "mix", "add"}, "a clip or a blend space; write it there");
        }
        belongs("loop", {"clip"}, "a clip; write it there");
        if (map.find("clip") != nullptr) { motion.clip = map.text("clip"); }
        if (const YamlNode* blend = map.find("blend")) { motion.blend = read_blend(map, *blend, node, depth); }
        if (const YamlNode* mix = map.find("mix")) { motion.mix = read_mix(map, *mix, depth); }
        if (const YamlNode* add = map.find("add")) { motion.add = read_add(map, *add, node, depth); }
        if (const YamlNode* pick = map.find("pick")) { motion.pick = read_pick(*pick, depth); }
        if (const YamlNode* choose = map.find("choose")) { motion.choose = read_choose(map, *choose, node, depth); }
        return motion;
    }

    SyncMode read_sync(const YamlNode& sync) {
        const Text word = to_text(sync, "'sync'", sink_);
        if (word.value == "footfall") { return SyncMode::footfall; }
        if (word.value == "cycle") { return SyncMode::cycle; }
        if (word.value == "off") { return SyncMode::off; }
        if (!word.empty()) { sink_.unknown(word.place, "sync", word.value, {"footfall", "cycle", "off"}); }
        return SyncMode::automatic;
    }

    MixDefinition read_mix(const YamlMap& map, const YamlNode& node, int depth) {
        MixDefinition mix;
        if (const auto fade = map.number("fade", "seconds")) { mix.fade = *fade; }
        if (!node.is_sequence()) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("'mix' is a list, such as 'mix: [stroll, {{play: shelter, weight: load}}]'; found {}",
                            describe(node)));
            return mix;
        }
        for (const YamlNode& item : node.items) {
            MixEntryDefinition& entry = mix.of.emplace_back();
            const bool has_play =
                item.is_map() && std::any_of(item.entries.begin(), item.entries.end(),
                                             [](const YamlEntry& e) { return e.key.scalar == "play"; });
            if (!has_play) {
                entry.play = read_motion(item, depth + 1);
                continue;
            }
            const YamlMap inner(item, "an entry of a mix", {"play", "weight", "mask"}, sink_);
            entry.play = read_motion(*inner.find("play"), depth + 1);
            entry.weight = inner.text("weight");
            entry.mask = inner.text("mask");
        }
        return mix;
    }

    AddDefinition read_add(const YamlMap& map, const YamlNode& what, const YamlNode& node, int depth) {
        AddDefinition add;
        add.what = read_motion(what, depth + 1);
        if (const YamlNode* to = map.find("to")) {
            add.to = read_motion(*to, depth + 1);
        } else {
            sink_.error(node.place, "missing-key", "nothing is said to add it to; add 'to: MOTION'");
        }
        add.weight = map.text("weight");
        add.mask = map.text("mask");
        add.against = map.text("against");
        if (const auto fade = map.number("fade", "seconds")) { add.fade = *fade; }
        return add;
    }

    void read_feet(const YamlNode& node) {
        FeetDefinition& feet = document_.feet;
        const YamlMap map(node, "'feet'", {"planted", "most", "release", "ankles"}, sink_);
        if (!map.is_map()) { return; }
        feet.place = node.place;
        feet.planted = map.text("planted");
        if (map.find("planted") == nullptr) {
            sink_.error(node.place, "missing-key",
                        "'feet' says when feet are held to the ground; add 'planted: yes', or a condition such as "
                        "'planted: not airborne'");
        }
        const auto read = [&](const char* key, const char* unit, double least, double most, Number& to) {
            const auto number = map.number(key, unit);
            if (!number) { return; }
            if (number->value >= least && number->value <= most) {
                to = *number;
                return;
            }
            sink_.error(number->place, "wrong-range",
                        fmt::format("'{}' is {} to {} {}; found {}", key, least, most, unit, number->value));
        };
        read("most", "metres", 0.01, 10, feet.most);
        read("release", "seconds", 0.01, 10, feet.release);
        if (const YamlNode* ankles = map.find("ankles")) {
            for (const YamlNode* ankle : list_items(*ankles, "'ankles'", sink_)) {
                feet.ankles.push_back(to_text(*ankle, "a joint's name", sink_));
            }
        }
    }

    void read_masks(const YamlNode& masks) {
        for (const auto& [name, value] : named_entries(masks, "masks", sink_)) {
            MaskDefinition& mask = document_.masks.emplace_back();
            mask.name = name;
            mask.place = value->place;
            const YamlMap map(*value, "a mask", {"from", "ramp", "mirror_of", "rest_of", "joins", "without", "joints"},
                              sink_);
            mask.from = map.text("from");
            mask.mirror_of = map.text("mirror_of");
            mask.rest_of = map.text("rest_of");
            for (const auto& [key, list] : {std::pair("joins", &mask.joins), std::pair("without", &mask.without)}) {
                const YamlNode* others = map.find(key);
                if (others == nullptr) { continue; }
                for (const YamlNode* other : list_items(*others, "a list of masks", sink_)) {
                    list->push_back(to_text(*other, "a mask's name", sink_));
                }
            }
            if (const auto ramp = map.number("ramp", "joints")) {
                mask.ramp = *ramp;
                if (!(ramp->value >= 1) || ramp->value > 100 || ramp->value != std::floor(ramp->value)) {
                    sink_.error(ramp->place, "wrong-range",
                                fmt::format("'ramp' is a whole number of joints from 1 to 100; found {}", ramp->value));
                    mask.ramp = 1;
                }
            }
            if (const YamlNode* joints = map.find("joints")) {
                for (const auto& [joint, weight] : named_entries(*joints, "joints", sink_)) {
                    const auto number = to_number(*weight, "a joint's part, 0 to 1", sink_);
                    if (!number) { continue; }
                    if (!(number->value >= 0) || number->value > 1) {
                        sink_.error(number->place, "wrong-range",
                                    fmt::format("a joint's part is 0 to 1; found {}", number->value));
                        continue;
                    }
                    mask.joints.emplace_back(joint, *number);
                }
            }
            const bool made_of_others = !mask.mirror_of.empty() || !mask.rest_of.empty() || !mask.joins.empty();
            if (map.is_map() && mask.from.empty() && mask.joints.empty() && !made_of_others) {
                sink_.error(value->place, "missing-key",
                            "a mask needs a joint to begin at, joints, or other masks; add 'from: JOINT', 'joints: "
                            "{NAME: 1}' or 'joins: [MASK, MASK]'");
            }
        }
    }

    PickDefinition read_pick(const YamlNode& node, int depth) {
        PickDefinition pick;
        const YamlMap map(node, "a pick", {"order", "of", "between", "fade"}, sink_);
        if (const Text word = map.text("order"); !word.empty()) {
            if (word.value == "random") {
                pick.order = PickOrder::random;
            } else if (word.value == "in turn") {
                pick.order = PickOrder::in_turn;
            } else if (word.value != "dealt") {
                sink_.unknown(word.place, "order", word.value, {"dealt", "random", "in turn"});
            }
        }
        if (const auto fade = map.number("fade", "seconds")) { pick.fade = *fade; }
        if (const YamlNode* between = map.find("between")) { pick.between = read_motion(*between, depth + 1); }
        const YamlNode* of = map.find("of");
        if (of == nullptr) {
            if (map.is_map()) {
                sink_.error(node.place, "missing-key", "a pick needs motions; add 'of: [CLIP, {play: CLIP}]'");
            }
            return pick;
        }
        std::vector<const YamlNode*> items;
        if (of->is_sequence()) {
            for (const YamlNode& item : of->items) { items.push_back(&item); }
        } else {
            items = list_items(*of, "'of'", sink_);
        }
        for (const YamlNode* item : items) { pick.of.push_back(read_pick_entry(*item, depth)); }
        return pick;
    }

    PickEntry read_pick_entry(const YamlNode& node, int depth) {
        PickEntry entry;
        entry.place = node.place;
        if (node.is_scalar()) {
            entry.play = read_motion(node, depth + 1);
            return entry;
        }
        const YamlMap map(node, "an entry of a pick", {"play", "share", "loops", "rate", "fade"}, sink_);
        if (const YamlNode* play = map.find("play")) {
            entry.play = read_motion(*play, depth + 1);
        } else if (map.is_map()) {
            sink_.error(node.place, "missing-key", "this entry plays nothing; add 'play: CLIP'");
        }
        if (const Text rate = map.text("rate"); !rate.empty()) { entry.play.rate = rate; }
        if (const auto share = map.number("share", {})) { entry.share = *share; }
        if (const YamlNode* loops = map.find("loops")) { entry.loops = read_one_or_two(*loops, "rounds"); }
        entry.fade = map.number("fade", "seconds");
        return entry;
    }

    /// A number, or a list of a least and a greatest one.
    std::pair<Number, Number> read_one_or_two(const YamlNode& node, const std::string& what) {
        if (node.is_scalar()) {
            const Number one = to_number(node, what, sink_).value_or(Number(1, node.place));
            return {one, one};
        }
        if (!node.is_sequence() || node.items.size() != 2) {
            sink_.error(node.place, "wrong-shape",
                        fmt::format("{} are a number, or the least and the greatest, such as [2, 4]; found {}", what,
                                    describe(node)));
            return {Number(1, node.place), Number(1, node.place)};
        }
        const auto low = to_number(node.items[0], what, sink_), high = to_number(node.items[1], what, sink_);
        if (low && high && low->value > high->value) {
            sink_.error(
                node.place, "wrong-range",
                fmt::format("{} [{}, {}] are empty; write the lower value first", what, low->value, high->value));
            return {*high, *high};
        }
        return {low.value_or(Number(1, node.place)), high.value_or(Number(1, node.place))};
    }

    ChooseDefinition read_choose(const YamlMap& map, const YamlNode& by, const YamlNode& node, int depth) {
        ChooseDefinition choose;
        choose.place = by.place;
        choose.by = to_text(by, "'choose'", sink_);
        const bool on_entry = choose.by.value == "on_entry";
        if (on_entry) { choose.by = {}; }
        if (const auto fade = map.number("fade", "seconds")) { choose.fade = *fade; }
        const YamlNode* of = map.find("of");
        if (of == nullptr) {
            sink_.error(node.place, "missing-key",
                        on_entry ? "this choose has no motions; add 'of: [{when: CONDITION, play: CLIP}, {play: CLIP}]'"
                                 : "this choose has no motions; add 'of: {VALUE: CLIP}'");
            return choose;
        }
        if (on_entry) {
            for (const YamlNode* item : list_items(*of, "'of'", sink_)) {
                const YamlMap entry(*item, "an entry of a choose", {"when", "play"}, sink_);
                ChooseEntry& added = choose.of.emplace_back();
                added.when = entry.text("when");
                if (const YamlNode* play = entry.find("play")) { added.play = read_motion(*play, depth + 1); }
            }
        } else {
            for (const auto& [value, play] : named_entries(*of, "'of' of a choose", sink_)) {
                ChooseEntry& added = choose.of.emplace_back();
                added.value = value;
                added.play = read_motion(*play, depth + 1);
            }
        }
        return choose;
    }

    /// A point's place: a number, or one a parameter.
    std::vector<Number> read_place(const YamlNode& node) {
        std::vector<Number> place;
        if (!node.is_sequence()) {
            if (const auto number = to_number(node, "a point's place on the axis", sink_)) { place.push_back(*number); }
            return place;
        }
        for (const YamlNode& item : node.items) {
            place.push_back(to_number(item, "a point's place", sink_).value_or(Number(0, item.place)));
        }
        return place;
    }

    void read_point(const YamlNode& item, BlendDefinition& blend, int depth) {
        if (item.is_scalar()) { // a clip, where it is measured to be
            blend.points.emplace_back(std::vector<Number>{}, read_motion(item, depth + 1));
            return;
        }
        const YamlMap point(item, "a point", {"at", "to", "play"}, sink_);
        const YamlNode *at = point.find("at"), *to = point.find("to"), *play = point.find("play");
        if (point.is_map() && (at == nullptr || play == nullptr)) {
            sink_.error(item.place, "missing-key", "a point needs 'at' and 'play', such as {at: 1.4, play: stroll}");
        }
        if (play == nullptr) { return; }
        PointDefinition& added = blend.points.emplace_back();
        added.play = read_motion(*play, depth + 1);
        const bool measured = at != nullptr && at->is_scalar() && at->scalar == "measured";
        if (!measured) { added.at = at == nullptr ? std::vector{Number(0, item.place)} : read_place(*at); }
        if (!measured && added.at.empty()) { added.at = {Number(0, item.place)}; }
        if (to != nullptr) {
            added.to = read_place(*to);
            if (measured) {
                sink_.error(to->place, "wrong-shape", "a point that is measured holds at one place; remove 'to'");
            }
        }
    }

    void read_cells(const YamlNode& cells, BlendDefinition& blend) {
        for (const YamlNode* item : list_items(cells, "'cells'", sink_)) {
            std::vector<Number>& cell = blend.cells.emplace_back();
            if (!item->is_sequence() || item->items.size() < 3) {
                sink_.error(item->place, "wrong-shape",
                            "a cell lists the points at its corners, counted from 1, such as [1, 2, 4]");
                continue;
            }
            for (const YamlNode& corner : item->items) {
                cell.push_back(to_number(corner, "a point, counted from 1", sink_).value_or(Number(1, corner.place)));
            }
        }
    }

    void read_fill(const YamlNode& fill, BlendDefinition& blend) {
        std::vector<const YamlNode*> words;
        if (fill.is_sequence()) {
            for (const YamlNode& word : fill.items) { words.push_back(&word); }
        } else {
            words.push_back(&fill);
        }
        for (const YamlNode* node : words) {
            const Text word = to_text(*node, "'fill'", sink_);
            if (word.value == "mirror") {
                blend.fill_mirrored = true;
            } else if (word.value == "reverse") {
                blend.fill_reversed = true;
            } else if (!word.empty()) {
                sink_.unknown(word.place, "way to fill", word.value, {"mirror", "reverse"});
            }
        }
    }

    void read_keep_pace(const YamlNode& keep, BlendDefinition& blend) {
        if (keep.is_sequence()) {
            blend.keep_pace = read_window(keep, "'keep_pace' is 'yes', or the slowest and the fastest, times as fast");
        } else if (to_flag(keep, "'keep_pace'", sink_).value_or(false)) {
            blend.keep_pace = {Number(0.75, keep.place), Number(1.5, keep.place)};
        }
        if (!blend.keep_pace) { return; }
        const auto& [slowest, fastest] = *blend.keep_pace;
        if (!(slowest.value > 0) || slowest.value > 1 || !(fastest.value >= 1) || fastest.value > 10) {
            sink_.error(slowest.place, "wrong-range",
                        fmt::format("the slowest is more than 0 and at most 1, the fastest 1 to 10; found {} and {}",
                                    slowest.value, fastest.value));
            blend.keep_pace.reset();
        }
    }

    BlendDefinition read_blend(const YamlMap& map, const YamlNode& parameter, const YamlNode& node, int depth) {
        BlendDefinition blend;
        if (!parameter.is_sequence()) {
            blend.parameter = to_text(parameter, "'blend'", sink_);
        } else if (parameter.items.size() == 2) {
            blend.parameter = to_text(parameter.items[0], "'blend'", sink_);
            blend.second = to_text(parameter.items[1], "'blend'", sink_);
        } else {
            sink_.error(parameter.place, "wrong-shape",
                        fmt::format("a blend space runs along one parameter or two, such as 'blend: speed' or 'blend: "
                                    "[heading, speed]'; found {}",
                                    parameter.items.size()));
        }
        if (const Text word = map.text("weigh"); word.value == "bands") {
            blend.weigh = BlendWeighing::bands;
        } else if (!word.empty() && word.value != "cells") {
            sink_.unknown(word.place, "way to weigh", word.value, {"cells", "bands"});
        }
        if (const YamlNode* cells = map.find("cells")) { read_cells(*cells, blend); }
        if (const YamlNode* fill = map.find("fill")) { read_fill(*fill, blend); }
        if (const YamlNode* keep = map.find("keep_pace")) { read_keep_pace(*keep, blend); }
        const YamlNode* points = map.find("points");
        if (points == nullptr) {
            sink_.error(node.place, "missing-key",
                        "this blend space has no points; add 'points: {1.4: stroll, 4.2: run}'");
        } else if (points->is_map()) {
            for (const auto& [at, play] : points->entries) {
                std::vector<Number> place = read_place(at);
                if (place.empty()) { place = {Number(0, at.place)}; }
                blend.points.emplace_back(std::move(place), read_motion(play, depth + 1));
            }
        } else if (points->is_sequence()) {
            for (const YamlNode& item : points->items) { read_point(item, blend, depth); }
        } else {
            for (const YamlNode* item : list_items(*points, "'points'", sink_)) { read_point(*item, blend, depth); }
        }
        return blend;
    }

    TransitionDefinition read_transition(const YamlNode& node, bool always) {
        TransitionDefinition transition;
        transition.place = node.place;
        std::vector<std::string> keys{"to",   "when", "signal", "at",       "inside", "after",
                                      "fade", "ease", "style",  "enter_at", "settle"};
        if (always) { keys.insert(keys.end(), {"except", "again"}); }
        const YamlMap map(node, always ? "a transition of 'always'" : "a transition", std::move(keys), sink_);
        transition.to = map.text("to");
        if (map.is_map() && map.find("to") == nullptr) {
            sink_.error(node.place, "missing-key", "this transition leads nowhere; add 'to: STATE'");
        }
        transition.when = map.text("when");
        transition.signal = map.text("signal");
        transition.inside = map.text("inside");
        if (const Text at = map.text("at"); at.value == "end") {
            transition.at_end = true;
        } else {
            transition.at_mark = at;
        }
        if (const YamlNode* after = map.find("after")) { transition.after = read_one_or_two(*after, "seconds"); }
        if (const YamlNode* except = map.find("except")) {
            transition.except = read_names(*except, "'except'", "a state's name");
        }
        transition.again = map.flag("again").value_or(false);
        if (const YamlNode* fade = map.find("fade")) {
            const Text text = to_text(*fade, "'fade'", sink_);
            double seconds = 0;
            const auto [end, problem] =
                std::from_chars(text.value.data(), text.value.data() + text.value.size(), seconds);
            if (problem == std::errc{} && end == text.value.data() + text.value.size()) {
                transition.fade = Number(seconds, fade->place);
            } else {
                transition.fade.place = fade->place;
                transition.fade_by = text;
            }
        }
        read_look(map, transition);
        return transition;
    }

    void read_look(const YamlMap& map, TransitionDefinition& transition) {
        if (const Text ease = map.text("ease"); !ease.empty()) {
            if (const auto known = ease_named(ease.value)) {
                transition.ease = *known;
            } else {
                sink_.unknown(ease.place, "ease", ease.value, {"smooth", "smoother", "linear", "in", "out"});
            }
        }
        if (const Text style = map.text("style"); !style.empty()) {
            if (style.value == "frozen") {
                transition.style = FadeStyle::frozen;
            } else if (style.value == "inertial") {
                transition.style = FadeStyle::inertial;
            } else if (style.value != "cross") {
                sink_.unknown(style.place, "style", style.value, {"cross", "frozen", "inertial"});
            }
        }
        transition.enter_at = map.text("enter_at");
        transition.settle = map.flag("settle").value_or(false);
    }

    Document& document_;
    DiagnosticSink& sink_;
    bool based_ = false; ///< on another document, which says what this one leaves out
};

} // namespace

namespace {

constexpr int deepest_base = 8;

DocumentRead read_text(const std::string& text, const std::string& name, int file);

DocumentRead read_from(const std::filesystem::path& path, int file) {
    const FileContents contents = read_file(path);
    if (!contents.problem) { return read_text(contents.bytes, path.string(), file); }
    DocumentRead result;
    result.document.file = path.string();
    DiagnosticSink sink(path.string(), {});
    sink.error({}, "unreadable-file", *contents.problem);
    result.diagnostics = sink.take();
    return result;
}

/// What `own` says stands over what its base says.
template <typename Definition> void lay_over(std::vector<Definition>& base, std::vector<Definition>& own) {
    for (Definition& definition : own) {
        const auto known = std::find_if(base.begin(), base.end(),
                                        [&](const Definition& d) { return d.name.value == definition.name.value; });
        if (known == base.end()) {
            base.push_back(std::move(definition));
        } else {
            *known = std::move(definition);
        }
    }
}

void tune_parameters(std::vector<ParameterDefinition>& base, std::vector<ParameterDefinition>& own) {
    for (ParameterDefinition& definition : own) {
        const auto known = std::find_if(base.begin(), base.end(), [&](const ParameterDefinition& p) {
            return p.name.value == definition.name.value;
        });
        if (known == base.end()) {
            base.push_back(std::move(definition));
            continue;
        }
        if (definition.range) { known->range = definition.range; }
        if (definition.default_value) { known->default_value = definition.default_value; }
        if (definition.smooth) { known->smooth = definition.smooth; }
        if (definition.at_most) { known->at_most = definition.at_most; }
        if (definition.keep.place.line > 0) { known->keep = definition.keep; }
        if (definition.wait.place.line > 0) { known->wait = definition.wait; }
        for (Text ParameterDefinition::*text :
             {&ParameterDefinition::from, &ParameterDefinition::remember, &ParameterDefinition::greatest,
              &ParameterDefinition::since, &ParameterDefinition::on_when, &ParameterDefinition::off_when,
              &ParameterDefinition::flips_on, &ParameterDefinition::only_while, &ParameterDefinition::clear}) {
            if (!(definition.*text).empty()) { (*known).*text = definition.*text; }
        }
        if (!definition.unit.empty()) { known->unit = definition.unit; }
        if (!definition.note.empty()) { known->note = definition.note; }
    }
}

/// Reads the document that `own` is based on, and lays `own` over it.
void take_base(DocumentRead& own, const Text& based_on, int file) {
    DiagnosticSink sink(own.document);
    const auto fail = [&](std::string message) {
        // Places of a base itself are counted from it, so its own findings need no translation.
        Text where = based_on;
        where.place.file = 0;
        sink.error(where.place, "wrong-base", std::move(message));
        for (Diagnostic& d : sink.take()) { own.diagnostics.push_back(std::move(d)); }
    };
    if (file >= deepest_base) {
        return fail(fmt::format("documents are based on one another more than {} deep, or in a circle", deepest_base));
    }
    const std::filesystem::path folder = std::filesystem::path(based_on.value).parent_path();
    DocumentRead base = read_from(std::filesystem::path(own.document.file).parent_path() / based_on.value, file + 1);
    if (!base.diagnostics.empty() && base.diagnostics.front().code == "unreadable-file") {
        return fail(fmt::format("'{}' {}", based_on.value, base.diagnostics.front().message));
    }
    own.diagnostics.insert(own.diagnostics.end(), base.diagnostics.begin(), base.diagnostics.end());
    Document& document = base.document;
    // Its files are found beside it, not beside us.
    const auto move_file = [&](Text& name) {
        if (!name.empty()) { name.value = (folder / name.value).generic_string(); }
    };
    move_file(document.rig);
    for (ClipDefinition& clip : document.clips) { move_file(clip.file); }
    document.bases.insert(document.bases.begin(), SourceFile{document.file, document.source});
    document.file = own.document.file;
    document.source = own.document.source;
    if (!own.document.about.empty()) { document.about = own.document.about; }
    if (!own.document.rig.empty()) { document.rig = own.document.rig; }
    if (!own.document.feet.planted.empty()) { document.feet = own.document.feet; }
    lay_over(document.clips, own.document.clips);
    lay_over(document.fits, own.document.fits);
    lay_over(document.values, own.document.values);
    lay_over(document.masks, own.document.masks);
    lay_over(document.motions, own.document.motions);
    lay_over(document.machines, own.document.machines);
    document.mirror.insert(document.mirror.end(), own.document.mirror.begin(), own.document.mirror.end());
    tune_parameters(document.parameters, own.document.parameters);
    own.document = std::move(document);
}

DocumentRead read_text(const std::string& text, const std::string& name, int file) {
    DocumentRead result;
    result.document.file = name;
    result.document.source = split_lines(text);
    std::vector<SourceFile> unread(std::size_t(file), SourceFile{});
    DiagnosticSink sink(unread, {name, result.document.source});
    Text based_on;
    if (auto root = parse_yaml(text, sink)) {
        set_file(*root, file);
        based_on = DocumentReader(result.document, sink).read(*root);
    }
    result.diagnostics = sink.take();
    if (!based_on.empty()) { take_base(result, based_on, file); }
    return result;
}

} // namespace

DocumentRead read_document_text(const std::string& text, const std::string& name) { return read_text(text, name, 0); }

DocumentRead read_document(const std::filesystem::path& path) { return read_from(path, 0); }

} // namespace gait
