#include "compile/call.hpp"
#include "files/acceptances.hpp"
#include "files/read_clips.hpp"
#include "files/read_machines.hpp"
#include "files/read_motions.hpp"
#include "files/read_parameters.hpp"
#include "files/write_file.hpp"
#include "files/yaml_values.hpp"
#include "gait/compile.hpp"
#include "gait/load.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

namespace gait {
using namespace detail;
namespace {

class DocumentReader {
public:
    DocumentReader(Document& document, DiagnosticSink& sink) : document_(document), sink_(sink) {}

    /// Returns what the document is based on, if anything.
    Text read(const YamlNode& root) {
        if (refuse_other_kind(root)) { return {}; }
        const YamlMap map(root, "a document",
                          {"gait",  "about",     "based_on", "rig",    "details",    "pack",   "tolerance",
                           "clips", "clip_sets", "fits",     "mirror", "parameters", "values", "feet",
                           "masks", "motions",   "machines", "layers", "one_shots",  "forbid", "decide"},
                          sink_);
        if (!map.is_map()) { return {}; }
        Text based_on = map.text("based_on");
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
        read_rig(map);
        read_word(map, "pack", "way to pack clips", {{"fast", ClipPacking::fast}, {"small", ClipPacking::small}},
                  document_.pack, sink_);
        if (const auto tolerance = map.number("tolerance", "millimetres")) { document_.tolerance = *tolerance; }
        if (const YamlNode* clips = map.find("clips")) { read_clips(*clips, document_, sink_); }
        if (const YamlNode* sets = map.find("clip_sets")) { read_clip_sets(*sets, document_, sink_); }
        if (const YamlNode* fits = map.find("fits")) { read_fits(*fits, document_, sink_); }
        if (const YamlNode* mirror = map.find("mirror")) {
            document_.mirror = read_name_pairs(*mirror, "'mirror'", sink_);
        }
        if (const YamlNode* parameters = map.find("parameters")) {
            read_parameters(*parameters, based_ ? DocumentKind::change : DocumentKind::whole, document_, sink_);
        }
        if (const YamlNode* values = map.find("values")) { read_values(*values, document_, sink_); }
        if (const YamlNode* feet = map.find("feet")) { read_feet(*feet); }
        if (const YamlNode* details = map.find("details")) { read_details(*details); }
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
        if (based_) {
            refuse_with_base(map);
        } else if (const YamlNode* layers = map.find("layers"); layers != nullptr && names_layers_by_key(*layers)) {
            const YamlNode& name = layers->entries.front().key;
            sink_.error(
                name.place, "wrong-shape",
                fmt::format("layers are a list, the lowest first; write '- name: {}' and what is below it beside "
                            "'name'",
                            name.scalar));
        } else if (layers != nullptr) {
            for (const YamlNode* layer : list_items(*layers, "'layers'", sink_)) {
                document_.layers.push_back(read_layer(*layer));
            }
        } else {
            sink_.error(root.place, "missing-key", "nothing is played yet; add 'layers:' with a name and a machine");
        }
        return based_on;
    }

private:
    /// A cue sheet, a list, or somebody else's file: said once.
    bool refuse_other_kind(const YamlNode& root) {
        if (!root.is_map()) {
            sink_.error(root.place, "other-document",
                        fmt::format("a document is a map that begins with 'gait: 1'; found {}", describe(root)));
            return true;
        }
        std::vector<std::string> keys;
        bool ours = false, cues = false;
        for (const auto& [key, value] : root.entries) {
            static const std::set<std::string> telling{"gait",      "rig",        "clips",    "layers",
                                                       "based_on",  "parameters", "machines", "motions",
                                                       "one_shots", "masks",      "fits"};
            ours = ours || telling.contains(key.scalar);
            cues = cues || key.scalar == "cues";
            keys.push_back(key.scalar);
        }
        if (ours) { return false; }
        if (cues) {
            sink_.error(
                root.place, "other-document",
                "this is a cue sheet, not a document; give it with '--cues', beside the document that it plays");
        } else {
            sink_.error(root.place, "other-document",
                        fmt::format("this is no document of Pliant Gait: it begins with '{}'; a document begins with "
                                    "'gait: 1', then 'rig', 'clips', 'parameters' and 'layers'",
                                    keys.empty() ? "" : keys.front()));
        }
        return true;
    }
    /// `layers: {body: {machine: ...}}`.
    static bool names_layers_by_key(const YamlNode& layers) {
        return layers.is_map() && !layers.entries.empty() && layers.entries.front().value.is_map() &&
               std::none_of(layers.entries.begin(), layers.entries.end(), [](const YamlEntry& entry) {
                   return entry.key.scalar == "name" || entry.key.scalar == "machine";
               });
    }

    /// What a document takes from the one it is based on.
    void refuse_with_base(const YamlMap& map) {
        for (const char* key : {"layers", "forbid", "decide"}) {
            const YamlNode* extra = map.find(key);
            if (extra == nullptr) { continue; }
            sink_.error(extra->place, "wrong-base",
                        fmt::format("a document takes its layers, and what they have to do with one another, from the "
                                    "one it is based on; remove '{}' here, or 'based_on'",
                                    key));
        }
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
        if (const auto seconds = map.number("fade", "seconds")) { layer.fade = *seconds; }
        read_word(map, "mode", "mode", {{"replace", LayerMode::replace}, {"add", LayerMode::add}}, layer.mode, sink_);
        read_word(map, "space", "space", {{"local", LayerSpace::local}, {"model", LayerSpace::model}}, layer.space,
                  sink_);
        if (!layer.against.empty() && layer.mode != LayerMode::add) {
            sink_.error(layer.against.place, "wrong-shape",
                        "'against' is what a layer's differences are measured against; write 'mode: add' beside it, or "
                        "remove it");
        }
        if (map.is_map() && map.find("name") == nullptr) {
            sink_.error(node.place, "missing-key", "this layer has no name; add 'name: body'");
        }
        if (const YamlNode* machine = map.find("machine")) {
            layer.machine = read_machine(*machine, sink_);
        } else if (map.is_map()) {
            sink_.error(node.place, "missing-key",
                        "this layer has no machine; add 'machine:' with 'start' and 'states'");
        }
        return layer;
    }

    void read_one_shots(const YamlNode& node) {
        for (const auto& [name, value] : named_entries(node, "one_shots", sink_)) {
            OneShotDefinition shot;
            shot.name = name;
            shot.place = value->place;
            const YamlMap map(*value, fmt::format("one-shot '{}'", name.value),
                              {"play", "mask", "fade", "again", "wait", "until"}, sink_);
            if (const YamlNode* play = map.find("play")) {
                shot.play = read_motion(*play, sink_);
            } else if (map.is_map()) {
                sink_.error(value->place, "missing-key",
                            fmt::format("one-shot '{}' plays nothing; add 'play: CLIP'", name.value));
            }
            shot.mask = map.text("mask");
            shot.until = map.text("until");
            if (const auto seconds = map.number("wait", "seconds")) { shot.wait = *seconds; }
            if (const YamlNode* fade = map.find("fade"); fade != nullptr && fade->is_sequence()) {
                const auto window =
                    read_window(*fade, "'fade' is the seconds of the fade in, and of the fade out", sink_);
                if (window) { std::tie(shot.fade_in, shot.fade_out) = *window; }
            } else if (fade != nullptr) {
                if (const auto seconds = map.number("fade", "seconds")) { shot.fade_in = *seconds; }
                shot.fade_out = shot.fade_in;
            }
            read_word(
                map, "again", "way",
                {{"ignore", OneShotAgain::ignore}, {"restart", OneShotAgain::restart}, {"queue", OneShotAgain::queue}},
                shot.again, sink_);
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
        if (const auto seconds = map.number("fade", "seconds")) { forbid.fade = *seconds; }
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
            named.play = read_motion(*value, sink_);
        }
    }

    void read_machines(const YamlNode& machines) {
        for (auto& [name, value] : named_entries(machines, "machines", sink_)) {
            NamedMachine& named = document_.machines.emplace_back();
            named.name = name;
            named.arguments = read_arguments(named.name);
            named.machine = read_machine(*value, sink_);
        }
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
        if (const auto most = map.number("most", "metres")) { feet.most = *most; }
        if (const auto release = map.number("release", "seconds")) { feet.release = *release; }
        if (const YamlNode* ankles = map.find("ankles")) {
            for (const YamlNode* ankle : list_items(*ankles, "'ankles'", sink_)) {
                feet.ankles.push_back(to_text(*ankle, "a joint's name", sink_));
            }
        }
    }

    /// A file's name; or with it how the body in it is to be read.
    void read_rig(const YamlMap& map) {
        const YamlNode* node = map.find("rig");
        if (node == nullptr || !node->is_map()) {
            document_.rig = map.text("rig");
            return;
        }
        const YamlMap rig(*node, "the rig", {"file", "scale", "up", "faces"}, sink_);
        document_.rig = rig.text("file");
        if (document_.rig.empty()) {
            sink_.error(node->place, "missing-key", "the rig names no file; add 'file: FILE.glb'");
        }
        if (const auto scale = read_scale(rig, sink_)) { document_.rig_reading.scale = scale->value; }
        document_.rig_reading.up = read_axis(rig, "up", sink_).value;
        document_.rig_reading.faces = read_axis(rig, "faces", sink_).value;
    }

    void read_details(const YamlNode& details) {
        document_.details.emplace();
        for (const YamlNode* level : list_items(details, "levels of joints, each a list", sink_)) {
            auto& joints = document_.details->emplace_back();
            for (const YamlNode* joint : list_items(*level, "a list of joints", sink_)) {
                joints.push_back(to_text(*joint, "a joint's name", sink_));
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
            if (const auto ramp = map.number("ramp", "joints")) { mask.ramp = *ramp; }
            if (const YamlNode* joints = map.find("joints")) {
                for (const auto& [joint, weight] : named_entries(*joints, "joints", sink_)) {
                    if (const auto number = to_number(*weight, "a joint's part, 0 to 1", sink_)) {
                        mask.joints.emplace_back(joint, *number);
                    }
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

    Document& document_;
    DiagnosticSink& sink_;
    bool based_ = false; ///< on another document, which says what this one leaves out
};

constexpr int deepest_base = 8;

DocumentRead read_text(std::string text, const std::string& name, int file, const FileReader& files);

DocumentRead read_from(const std::filesystem::path& path, int file, const FileReader& files) {
    const FileContents contents = read_file(path, files);
    if (!contents.problem) { return read_text(contents.bytes, path.string(), file, files); }
    DocumentRead result;
    result.document.file = path.string();
    DiagnosticSink sink(path.string(), {});
    sink.error({}, "unreadable-file", *contents.problem);
    result.diagnostics = sink.take();
    return result;
}

/// What `own` says stands over what its base says.
template <typename Definition> void override_by_name(std::vector<Definition>& base, std::vector<Definition>& own) {
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
void take_base(DocumentRead& own, const Text& based_on, int file, const FileReader& files) {
    DiagnosticSink sink(own.document.files());
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
    DocumentRead base =
        read_from(std::filesystem::path(own.document.file).parent_path() / based_on.value, file + 1, files);
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
    for (ClipPattern& set : document.clip_patterns) { move_file(set.common.file); }
    document.bases.insert(document.bases.begin(), SourceFile{document.file, document.source});
    document.file = own.document.file;
    document.source = own.document.source;
    if (!own.document.about.empty()) { document.about = own.document.about; }
    if (!own.document.rig.empty()) {
        document.rig = own.document.rig;
        document.rig_reading = own.document.rig_reading;
        document.details = own.document.details; // another rig's joints are called otherwise
    }
    if (own.document.details && own.document.rig.empty()) { document.details = own.document.details; }
    if (!own.document.feet.planted.empty()) { document.feet = own.document.feet; }
    override_by_name(document.clips, own.document.clips);
    override_by_name(document.fits, own.document.fits);
    override_by_name(document.values, own.document.values);
    override_by_name(document.masks, own.document.masks);
    override_by_name(document.motions, own.document.motions);
    override_by_name(document.machines, own.document.machines);
    override_by_name(document.one_shots, own.document.one_shots);
    document.pack = std::max(document.pack, own.document.pack);
    if (own.document.tolerance.place.line > 0) { document.tolerance = own.document.tolerance; }
    document.clip_patterns.insert(document.clip_patterns.end(), own.document.clip_patterns.begin(),
                                  own.document.clip_patterns.end());
    document.accepted.insert(document.accepted.end(), own.document.accepted.begin(), own.document.accepted.end());
    document.mirror.insert(document.mirror.end(), own.document.mirror.begin(), own.document.mirror.end());
    tune_parameters(document.parameters, own.document.parameters);
    own.document = std::move(document);
}

DocumentRead read_text(std::string text, const std::string& name, int file, const FileReader& files) {
    end_lines_alike(text);
    DocumentRead result;
    result.document.file = name;
    result.document.source = SourceText(text);
    std::vector<SourceFile> sources(std::size_t(file) + 1); // those before it are not read here
    sources.back() = {name, result.document.source};
    DiagnosticSink sink(std::move(sources));
    Text based_on;
    if (auto root = parse_yaml(text, sink)) {
        set_file(*root, file);
        result.document.accepted = take_acceptances(*root, sink);
        based_on = DocumentReader(result.document, sink).read(*root);
    }
    result.diagnostics = sink.take();
    if (!based_on.empty()) { take_base(result, based_on, file, files); }
    return result;
}

} // namespace

DocumentRead read_document_text(const std::string& text, const std::string& name, const FileReader& files) {
    return read_text(text, name, 0, files);
}

DocumentRead read_document(const std::filesystem::path& path, const FileReader& files) {
    return read_from(path, 0, files);
}

} // namespace gait
