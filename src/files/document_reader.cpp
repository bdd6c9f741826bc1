#include "files/write_file.hpp"
#include "files/yaml_tree.hpp"
#include "gait/compile.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gait {
namespace {

class DocumentReader {
public:
    DocumentReader(Document& document, DiagnosticSink& sink) : document_(document), sink_(sink) {}

    /// Returns what the document is based on, if anything.
    Text read(const YamlNode& root) {
        const YamlMap map(root, "a document",
                          {"gait", "about", "based_on", "rig", "tolerance", "clips", "clip_sets", "fits", "mirror",
                           "parameters", "layers"},
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

    void read_parameters(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "parameters", sink_)) {
            ParameterDefinition parameter;
            parameter.name = name;
            const YamlMap map(*value, "a parameter", {"kind", "range", "default", "unit", "note", "smooth", "tune"},
                              sink_);
            const Text kind = map.text("kind");
            if (kind.value == "flag") {
                parameter.kind = ParameterKind::flag;
            } else if (kind.empty() && map.is_map() && map.find("kind") == nullptr && !based_) {
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
        const YamlMap map(node, "a machine", {"start", "always", "states"}, sink_);
        machine.start = map.text("start");
        if (const YamlNode* always = map.find("always")) {
            for (const YamlNode* item : list_items(*always, "'always'", sink_)) {
                machine.always.push_back(read_transition(*item, true));
            }
        }
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
        const YamlMap map(node, fmt::format("state '{}'", name.value), {"play", "moved_by", "go"}, sink_);
        if (const Text mover = map.text("moved_by"); !mover.empty()) {
            state.game_moves = mover.value == "game";
            if (mover.value != "game" && mover.value != "clip") {
                sink_.unknown(mover.place, "mover", mover.value, {"clip", "game"});
            }
        }
        if (const YamlNode* play = map.find("play")) { state.play = read_motion(*play, 0); }
        if (const YamlNode* go = map.find("go")) {
            for (const YamlNode* item : list_items(*go, "'go'", sink_)) {
                state.go.push_back(read_transition(*item, false));
            }
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

    TransitionDefinition read_transition(const YamlNode& node, bool always) {
        TransitionDefinition transition;
        transition.place = node.place;
        std::vector<std::string> keys{"to", "when", "at", "after", "fade", "ease"};
        if (always) { keys.insert(keys.end(), {"except", "again"}); }
        const YamlMap map(node, always ? "a transition of 'always'" : "a transition", std::move(keys), sink_);
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
        transition.after = map.number("after", "seconds");
        if (const YamlNode* except = map.find("except")) {
            if (except->is_scalar()) {
                transition.except.push_back(to_text(*except, "'except'", sink_));
            } else {
                for (const YamlNode* name : list_items(*except, "'except'", sink_)) {
                    transition.except.push_back(to_text(*name, "a state's name", sink_));
                }
            }
        }
        transition.again = map.flag("again").value_or(false);
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
    lay_over(document.clips, own.document.clips);
    lay_over(document.fits, own.document.fits);
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
