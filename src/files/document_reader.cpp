#include "files/write_file.hpp"
#include "files/yaml_tree.hpp"
#include "gait/compile.hpp"

#include <fmt/format.h>

namespace gait {
namespace {

class DocumentReader {
public:
    DocumentReader(Document& document, DiagnosticSink& sink) : document_(document), sink_(sink) {}

    void read(const YamlNode& root) {
        const YamlMap map(root, "a document", {"gait", "about", "rig", "tolerance", "clips", "parameters", "layers"},
                          sink_);
        if (!map.is_map()) { return; }
        const YamlNode* version = map.find("gait");
        if (version == nullptr) {
            sink_.error(root.place, "missing-key",
                        "a document begins with 'gait: 1', the version of its language; add that line");
        } else if (!version->is_scalar() || version->scalar != "1") {
            sink_.error(version->place, "unknown-version",
                        fmt::format("this library reads documents of version 1; found {}", describe(*version)));
        }
        document_.about = map.text("about").value;
        if (map.find("rig") == nullptr) {
            sink_.error(root.place, "missing-key", "no rig is named; add 'rig: FILE.glb'");
        }
        document_.rig = map.text("rig");
        if (const auto tolerance = map.number("tolerance", "millimetres")) { document_.tolerance = *tolerance; }
        if (const YamlNode* clips = map.find("clips")) { read_clips(*clips); }
        if (const YamlNode* parameters = map.find("parameters")) { read_parameters(*parameters); }
        if (const YamlNode* layers = map.find("layers")) {
            for (const YamlNode* layer : list_items(*layers, "'layers'", sink_)) {
                document_.layers.push_back(read_layer(*layer));
            }
        } else {
            sink_.error(root.place, "missing-key", "nothing is played yet; add 'layers:' with a name and a machine");
        }
    }

private:
    void read_clips(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "clips", sink_)) {
            ClipDefinition clip;
            clip.name = name;
            if (value->kind != YamlNode::Kind::null) {
                const YamlMap map(*value, "a clip", {"file", "animation", "loop"}, sink_);
                clip.file = map.text("file");
                clip.animation = map.text("animation");
                clip.loop = map.flag("loop").value_or(false);
            }
            document_.clips.push_back(std::move(clip));
        }
    }

    void read_parameters(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "parameters", sink_)) {
            ParameterDefinition parameter;
            parameter.name = name;
            const YamlMap map(*value, "a parameter", {"kind", "range", "default", "unit", "note", "smooth", "tune"},
                              sink_);
            const Text kind = map.text("kind");
            if (kind.value == "flag") {
                parameter.kind = ParameterKind::flag;
            } else if (kind.empty() && map.is_map() && map.find("kind") == nullptr) {
                sink_.error(name.place, "missing-key",
                            fmt::format("parameter '{}' does not say its kind; add 'kind: number' or 'kind: flag'",
                                        name.value));
            } else if (!kind.empty() && kind.value != "number") {
                sink_.unknown(kind.place, "parameter kind", kind.value, {"number", "flag"});
            }
            if (const YamlNode* range = map.find("range")) { read_range(*range, parameter); }
            if (const YamlNode* value_node = map.find("default")) { read_default(*value_node, parameter); }
            if (map.find("unit") != nullptr) { parameter.unit = map.text("unit").value; }
            if (map.find("note") != nullptr) { parameter.note = map.text("note").value; }
            parameter.smooth = map.number("smooth", "seconds");
            parameter.tune = map.flag("tune").value_or(false);
            if (parameter.kind == ParameterKind::flag) {
                for (const char* key : {"range", "unit", "smooth"}) {
                    if (const YamlNode* extra = map.find(key)) {
                        sink_.error(extra->place, "wrong-shape",
                                    fmt::format("'{}' is a flag and has no '{}'; remove it, or write 'kind: number'",
                                                name.value, key));
                    }
                }
            }
            document_.parameters.push_back(std::move(parameter));
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

    void read_default(const YamlNode& node, ParameterDefinition& parameter) {
        if (parameter.kind == ParameterKind::flag) {
            if (const auto value = to_flag(node, "the default of a flag", sink_)) {
                parameter.default_value = *value ? 1 : 0;
            }
        } else if (const auto value = to_number(node, "the default of a number", sink_)) {
            parameter.default_value = value->value;
            if (parameter.range && (value->value < parameter.range->first || value->value > parameter.range->second)) {
                sink_.error(node.place, "wrong-range",
                            fmt::format("the default {} lies outside the range [{}, {}]", value->value,
                                        parameter.range->first, parameter.range->second));
            }
        }
    }

    LayerDefinition read_layer(const YamlNode& node) {
        LayerDefinition layer;
        layer.place = node.place;
        const YamlMap map(node, "a layer", {"name", "machine"}, sink_);
        layer.name = map.text("name");
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

    MachineDefinition read_machine(const YamlNode& node) {
        MachineDefinition machine;
        machine.place = node.place;
        const YamlMap map(node, "a machine", {"start", "states"}, sink_);
        machine.start = map.text("start");
        if (const YamlNode* states = map.find("states")) {
            for (const auto& [name, value] : named_entries(*states, "states", sink_)) {
                machine.states.push_back(read_state(name, *value));
            }
        }
        return machine;
    }

    StateDefinition read_state(const Text& name, const YamlNode& node) {
        StateDefinition state;
        state.name = name;
        const YamlMap map(node, fmt::format("state '{}'", name.value), {"play", "go"}, sink_);
        if (const YamlNode* play = map.find("play")) { state.play = read_motion(*play, 0); }
        if (const YamlNode* go = map.find("go")) {
            for (const YamlNode* item : list_items(*go, "'go'", sink_)) { state.go.push_back(read_transition(*item)); }
        }
        return state;
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
            return motion;
        }
        if (!node.is_map()) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("'play' is a clip's name or a map with 'clip' or 'blend'; found {}", describe(node)));
            return motion;
        }
        const YamlMap map(node, "a motion", {"clip", "loop", "blend", "points", "sync"}, sink_);
        motion.loop = map.flag("loop");
        const YamlNode* blend = map.find("blend");
        const bool has_clip = map.find("clip") != nullptr;
        if (has_clip == (blend != nullptr)) {
            sink_.error(node.place, "wrong-shape",
                        has_clip ? "a motion is either a 'clip' or a 'blend'; remove one of them"
                                 : "this motion plays nothing; add 'clip: NAME', or 'blend: PARAMETER' with 'points'");
        }
        if (has_clip) {
            motion.clip = map.text("clip");
            for (const char* key : {"points", "sync"}) {
                if (const YamlNode* extra = map.find(key); extra != nullptr && blend == nullptr) {
                    sink_.error(extra->place, "wrong-shape",
                                fmt::format("'{}' belongs to a blend space; add 'blend: PARAMETER' or remove it", key));
                }
            }
        }
        if (blend != nullptr) { motion.blend = read_blend(map, *blend, node, depth); }
        return motion;
    }

    BlendDefinition read_blend(const YamlMap& map, const YamlNode& parameter, const YamlNode& node, int depth) {
        BlendDefinition blend;
        if (parameter.is_sequence()) {
            sink_.error(parameter.place, "wrong-shape",
                        "a blend space runs along one parameter; write its name, such as 'blend: speed'");
        } else {
            blend.parameter = to_text(parameter, "'blend'", sink_);
        }
        if (const YamlNode* sync = map.find("sync")) {
            const Text word = to_text(*sync, "'sync'", sink_);
            blend.sync_cycle = word.value == "cycle";
            if (!word.empty() && word.value != "cycle" && word.value != "off") {
                sink_.unknown(word.place, "sync", word.value, {"cycle", "off"});
            }
        }
        const YamlNode* points = map.find("points");
        if (points == nullptr) {
            sink_.error(node.place, "missing-key",
                        "this blend space has no points; add 'points: {1.4: stroll, 4.2: run}'");
        } else if (points->is_map()) {
            for (const auto& [at, play] : points->entries) {
                const auto number = to_number(at, "a point's place on the axis", sink_);
                blend.points.push_back({number.value_or(Number(0, at.place)), read_motion(play, depth + 1)});
            }
        } else {
            for (const YamlNode* item : list_items(*points, "'points'", sink_)) {
                const YamlMap point(*item, "a point", {"at", "play"}, sink_);
                const auto at = point.number("at", {});
                const YamlNode* play = point.find("play");
                if (point.is_map() && (point.find("at") == nullptr || play == nullptr)) {
                    sink_.error(item->place, "missing-key",
                                "a point needs 'at' and 'play', such as {at: 1.4, play: stroll}");
                }
                if (play != nullptr) {
                    blend.points.push_back({at.value_or(Number(0, item->place)), read_motion(*play, depth + 1)});
                }
            }
        }
        return blend;
    }

    TransitionDefinition read_transition(const YamlNode& node) {
        TransitionDefinition transition;
        transition.place = node.place;
        const YamlMap map(node, "a transition", {"to", "when", "at", "fade", "ease"}, sink_);
        transition.to = map.text("to");
        if (map.is_map() && map.find("to") == nullptr) {
            sink_.error(node.place, "missing-key", "this transition leads nowhere; add 'to: STATE'");
        }
        transition.when = map.text("when");
        if (const YamlNode* at = map.find("at")) {
            const Text word = to_text(*at, "'at'", sink_);
            if (!word.empty() && word.value != "end") {
                sink_.error(word.place, "wrong-shape", fmt::format("'at' can only be 'end'; found '{}'", word.value));
            }
            transition.at_end = true;
        }
        if (const auto fade = map.number("fade", "seconds")) { transition.fade = *fade; }
        if (const Text ease = map.text("ease"); !ease.empty()) {
            if (const auto known = ease_named(ease.value)) {
                transition.ease = *known;
            } else {
                sink_.unknown(ease.place, "ease", ease.value, {"smooth", "smoother", "linear", "in", "out"});
            }
        }
        return transition;
    }

    Document& document_;
    DiagnosticSink& sink_;
};

} // namespace

DocumentRead read_document_text(const std::string& text, const std::string& name) {
    DocumentRead result;
    result.document.file = name;
    result.document.source = split_lines(text);
    DiagnosticSink sink(name, result.document.source);
    if (const auto root = parse_yaml(text, sink)) { DocumentReader(result.document, sink).read(*root); }
    result.diagnostics = sink.take();
    return result;
}

DocumentRead read_document(const std::filesystem::path& path) {
    const FileContents contents = read_file(path);
    if (contents.problem) {
        DocumentRead result;
        result.document.file = path.string();
        DiagnosticSink sink(path.string(), {});
        sink.error({}, "unreadable-file", *contents.problem);
        result.diagnostics = sink.take();
        return result;
    }
    return read_document_text(contents.bytes, path.string());
}

} // namespace gait
