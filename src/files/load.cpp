#include "check/sink.hpp"
#include "gait/compile.hpp"
#include "gait/gltf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <new>

namespace gait {
namespace {

class AssetLoader {
public:
    explicit AssetLoader(const Document& document) : document_(document), sink_(document.file, document.source) {
        folder_ = std::filesystem::path(document.file).parent_path();
    }

    AssetsRead run() {
        AssetsRead result;
        const ImportedFile* rig_file = nullptr;
        if (!document_.rig.empty()) {
            rig_file = import(document_.rig);
            if (rig_file != nullptr) { result.assets.rig = rig_file->rig; }
        }
        for (const ClipDefinition& clip : document_.clips) {
            const Text& file = clip.file.empty() ? document_.rig : clip.file;
            const ImportedFile* imported = file.empty() ? nullptr : import(file);
            const ClipSource* source = imported == nullptr ? nullptr : find_clip(*imported, clip, file);
            if (source == nullptr) {
                result.assets.failed.insert(clip.name.value);
                continue;
            }
            if (imported != rig_file && rig_file != nullptr) { compare_joints(rig_file->rig, *source, clip, file); }
            result.assets.clips.emplace(clip.name.value, *source);
        }
        result.diagnostics = sink_.take();
        result.diagnostics.insert(result.diagnostics.begin(), imported_.begin(), imported_.end());
        return result;
    }

private:
    /// Imports a file once. Its own findings are kept; where it is unusable, the document's place is said as well.
    const ImportedFile* import(const Text& file) {
        const auto known = files_.find(file.value);
        if (known != files_.end()) { return known->second ? &*known->second : nullptr; }
        ImportResult result = import_gltf(folder_ / file.value);
        if (!result.file && !result.diagnostics.empty()) {
            // One finding a broken file: where the document names it, and what is wrong with it.
            const Diagnostic& first = result.diagnostics.front();
            sink_.error(file.place, first.code, fmt::format("'{}': {}", file.value, first.message), "rig");
        } else {
            imported_.insert(imported_.end(), result.diagnostics.begin(), result.diagnostics.end());
        }
        const auto& stored = files_[file.value] = std::move(result.file);
        return stored ? &*stored : nullptr;
    }

    const ClipSource* find_clip(const ImportedFile& file, const ClipDefinition& clip, const Text& file_name) {
        const std::string& wanted = clip.animation.empty() ? clip.name.value : clip.animation.value;
        std::vector<std::string> names;
        for (const ClipSource& source : file.clips) {
            if (source.name == wanted) { return &source; }
            names.push_back(source.name);
        }
        // A file of one animation, exported on its own, need not be called what the document calls it.
        if (clip.animation.empty() && file.clips.size() == 1 && !clip.file.empty()) { return &file.clips.front(); }
        const Place place = clip.animation.empty() ? clip.name.place : clip.animation.place;
        const std::string near = nearest_name(wanted, names);
        sink_.error(place, "missing-animation",
                    names.empty()  ? fmt::format("'{}' holds no animation, so clip '{}' cannot be found in it",
                                                 file_name.value, clip.name.value)
                    : near.empty() ? fmt::format("'{}' holds no animation '{}'; it holds {}; write 'animation: NAME'",
                                                 file_name.value, wanted, fmt::join(names, ", "))
                                   : fmt::format("'{}' holds no animation '{}'; did you mean 'animation: {}'?",
                                                 file_name.value, wanted, near),
                    "clips." + clip.name.value);
        return nullptr;
    }

    void compare_joints(const Rig& rig, const ClipSource& source, const ClipDefinition& clip, const Text& file) {
        std::vector<std::string> foreign, known;
        for (const Joint& joint : rig.joints) { known.push_back(joint.name); }
        for (std::size_t j = 0; j < source.joints.size(); ++j) {
            const JointTracks& tracks = source.tracks[j];
            const bool moves = !tracks.rotation.empty() || !tracks.translation.empty() || !tracks.scale.empty();
            if (moves && !rig.find(source.joints[j])) { foreign.push_back(source.joints[j]); }
        }
        if (foreign.empty()) { return; }
        std::vector<std::string> shown;
        for (std::size_t i = 0; i < std::min<std::size_t>(foreign.size(), 6); ++i) {
            const std::string near = nearest_name(foreign[i], known);
            shown.push_back(near.empty() ? foreign[i] : fmt::format("{} (near '{}')", foreign[i], near));
        }
        if (foreign.size() > shown.size()) { shown.emplace_back("..."); }
        sink_.warn(
            clip.name.place, "foreign-joints",
            fmt::format("clip '{}' of '{}' moves {} joint{} that the rig does not have, which stay{} at rest: {}",
                        clip.name.value, file.value, foreign.size(), foreign.size() == 1 ? "" : "s",
                        foreign.size() == 1 ? "s" : "", fmt::join(shown, ", ")),
            "clips." + clip.name.value);
    }

    const Document& document_;
    DiagnosticSink sink_;
    std::filesystem::path folder_;
    std::map<std::string, std::optional<ImportedFile>> files_;
    Diagnostics imported_;
};

} // namespace

AssetsRead load_assets(const Document& document) { return AssetLoader(document).run(); }

namespace {

Loaded load_all(const std::filesystem::path& path, Completeness completeness) {
    Loaded result;
    DocumentRead read = read_document(path);
    result.document = std::move(read.document);
    result.diagnostics = std::move(read.diagnostics);
    result.unreadable = !result.diagnostics.empty() && result.diagnostics.front().code == "unreadable-file";
    // A text that is no YAML says nothing more about itself.
    const bool parsed = std::none_of(result.diagnostics.begin(), result.diagnostics.end(), [](const Diagnostic& d) {
        return d.code == "yaml-syntax" || d.code == "empty-file";
    });
    if (result.unreadable || !parsed) { return result; }
    AssetsRead assets = load_assets(result.document);
    Diagnostics gaps;
    if (completeness == Completeness::draft && assets.assets.rig) {
        // With a rig, whatever else is missing from the files is a clip.
        for (Diagnostic& d : assets.diagnostics) { d.severity = std::min(d.severity, Severity::warning); }
        gaps = fill_gaps(result.document, assets.assets);
    }
    Compiled compiled = compile(result.document, assets.assets);
    const bool read_well = !has_errors(result.diagnostics);
    for (auto* list : {&assets.diagnostics, &gaps, &compiled.diagnostics}) {
        for (Diagnostic& d : *list) { result.diagnostics.push_back(std::move(d)); }
    }
    std::stable_sort(result.diagnostics.begin(), result.diagnostics.end(),
                     [](const Diagnostic& a, const Diagnostic& b) {
                         return std::pair(a.place.line, a.place.column) < std::pair(b.place.line, b.place.column);
                     });
    if (read_well && !has_errors(assets.diagnostics)) { result.character = std::move(compiled.character); }
    return result;
}

} // namespace

Loaded load(const std::filesystem::path& path, Completeness completeness) {
    try {
        return load_all(path, completeness);
    } catch (const std::bad_alloc&) {
        // What was taken for the attempt is free again by now, so the few words find room.
        Loaded result;
        result.unreadable = true;
        Diagnostic& diagnostic = result.diagnostics.emplace_back();
        diagnostic.code = "out-of-memory";
        diagnostic.message = "there is not enough memory to load this; nothing was loaded";
        diagnostic.file = path.string();
        return result;
    }
}

} // namespace gait
