#include "gait/load.hpp"
#include "diagnostics/sink.hpp"
#include "gait/bvh.hpp"
#include "gait/compile.hpp"
#include "gait/fit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <new>
#include <tuple>
#include <unordered_map>
#include <utility>

namespace gait {
using namespace detail;
namespace {

class AssetLoader {
public:
    AssetLoader(const Document& document, const FileReader& from)
        : document_(document), from_(from), sink_(document.files()) {
        folder_ = std::filesystem::path(document.file).parent_path();
    }

    AssetsRead run() {
        AssetsRead result;
        const ImportedFile* rig_file = nullptr;
        if (!document_.rig.empty()) {
            rig_file = import(document_.rig, nullptr);
            if (rig_file != nullptr) { result.assets.rig = rig_file->rig; }
        }
        for (const ClipDefinition& clip : document_.clips) {
            if (keys_ > most_keys) { // said where it began
                result.assets.failed.insert(clip.name.value);
                continue;
            }
            const Text& file = clip.file.empty() ? document_.rig : clip.file;
            const FitDefinition* fit = find_fit(clip);
            const ImportedFile* imported = file.empty() ? nullptr : import(file, fit);
            const ClipSource* source = imported == nullptr ? nullptr : find_clip(*imported, clip, file);
            if (source == nullptr) {
                result.assets.failed.insert(clip.name.value);
                continue;
            }
            // A file's clip is copied for each of the document's that shows it.
            keys_ += key_count(*source);
            if (keys_ > most_keys) {
                result.assets.failed.insert(clip.name.value);
                sink_.error(clip.name.place, "too-many",
                            fmt::format("the clips up to '{}' have more than {} keys together; leave some out",
                                        clip.name.value, most_keys),
                            "clips." + clip.name.value);
                continue;
            }
            if (imported == rig_file || rig_file == nullptr) {
                result.assets.clips.emplace(clip.name.value, *source);
                continue;
            }
            FittedClip fitted =
                fit_clip(*source, imported->rig, rig_file->rig, fit == nullptr ? FitDefinition{} : *fit);
            compare_joints(*imported, rig_file->rig, fitted, clip, file, fit);
            result.assets.clips.emplace(clip.name.value, std::move(fitted.clip));
        }
        if (rig_file != nullptr) { check_fits(rig_file->rig); }
        result.files.assign(read_.begin(), read_.end());
        result.diagnostics = sink_.take();
        result.diagnostics.insert(result.diagnostics.begin(), imported_.begin(), imported_.end());
        return result;
    }

private:
    static constexpr std::size_t most_keys = 20'000'000;

    static std::size_t key_count(const ClipSource& clip) {
        std::size_t count = 0;
        for (const JointTracks& tracks : clip.tracks) {
            count += tracks.rotation.times.size() + tracks.translation.times.size() + tracks.scale.times.size();
        }
        for (const NumberTrack& track : clip.numbers) { count += track.values.times.size(); }
        return count;
    }

    const FitDefinition* find_fit(const ClipDefinition& clip) {
        if (clip.fit.empty()) { return nullptr; }
        std::vector<std::string> known;
        for (const FitDefinition& fit : document_.fits) {
            if (fit.name.value == clip.fit.value) { return &fit; }
            known.push_back(fit.name.value);
        }
        sink_.unknown(clip.fit.place, "fit", clip.fit.value, known, "clips." + clip.name.value);
        return nullptr;
    }

    /// Imports a file once for each fit. Its own findings are kept; where it is unusable, the document's place is
    /// reported as well.
    const ImportedFile* import(const Text& file, const FitDefinition* fit) {
        const std::pair key(file.value, fit);
        const auto known = files_.find(key);
        if (known != files_.end()) { return known->second ? &*known->second : nullptr; }
        const bool is_rig = file.value == document_.rig.value;
        BodyReading reading = is_rig ? document_.rig_reading : BodyReading{};
        if (fit != nullptr && fit->scale) { reading.scale = fit->scale->value; }
        if (fit != nullptr && !fit->up.empty()) { reading.up = fit->up.value; }
        if (fit != nullptr && !fit->faces.empty()) { reading.faces = fit->faces.value; }
        ImportResult result = import_file(folder_ / file.value, {}, reading, from_);
        if (!result.file && !result.diagnostics.empty()) {
            // One finding a broken file: where the document names it, and what is wrong with it.
            const Diagnostic& first = result.diagnostics.front();
            const std::string where =
                first.place.line > 0 ? fmt::format(":{}:{}", first.place.line, first.place.column) : "";
            sink_.error(file.place, first.code, fmt::format("'{}{}': {}", file.value, where, first.message), "rig");
        } else {
            imported_.insert(imported_.end(), result.diagnostics.begin(), result.diagnostics.end());
        }
        if (result.file) { read_.insert(result.file->files.begin(), result.file->files.end()); }
        const auto& stored = files_[key] = std::move(result.file);
        return stored ? &*stored : nullptr;
    }

    const ClipSource* find_clip(const ImportedFile& file, const ClipDefinition& clip, const Text& file_name) {
        const std::string& wanted = clip.animation.empty() ? clip.name.value : clip.animation.value;
        auto& by_name = by_name_[&file];
        if (by_name.empty()) {
            for (const ClipSource& source : file.clips) { by_name.try_emplace(source.name, &source); }
        }
        if (const auto found = by_name.find(wanted); found != by_name.end()) { return found->second; }
        // A file of one animation, exported on its own, need not be called what the document calls it.
        if (clip.animation.empty() && file.clips.size() == 1 && !clip.file.empty()) { return &file.clips.front(); }
        const Place place = clip.animation.empty() ? clip.name.place : clip.animation.place;
        std::vector<std::string> names;
        constexpr std::size_t most_listed = 1000; // each is held against what was written
        for (const ClipSource& source : file.clips) {
            if (names.size() < most_listed) { names.push_back(source.name); }
        }
        const std::string near = nearest_name(wanted, names);
        sink_.error(place, "missing-animation",
                    names.empty()  ? fmt::format("'{}' holds no animation, so clip '{}' cannot be found in it",
                                                 file_name.value, clip.name.value)
                    : near.empty() ? fmt::format("'{}' holds no animation '{}'; it holds {}; write 'animation: NAME'",
                                                 file_name.value, wanted, listed(names, {}))
                                   : fmt::format("'{}' holds no animation '{}'; did you mean 'animation: {}'?",
                                                 file_name.value, wanted, near),
                    "clips." + clip.name.value);
        return nullptr;
    }

    /// Some names, each with the one among `known` that it may be a slip of.
    static std::string listed(const std::vector<std::string>& names, const std::vector<std::string>& known) {
        constexpr std::size_t most = 6;
        std::vector<std::string> shown;
        for (std::size_t i = 0; i < std::min(names.size(), most); ++i) {
            const std::string near = nearest_name(names[i], known);
            shown.push_back(near.empty() ? names[i] : fmt::format("{} (near '{}')", names[i], near));
        }
        if (names.size() > most) { return fmt::format("{} and {} more", fmt::join(shown, ", "), names.size() - most); }
        return fmt::format("{}", fmt::join(shown, ", "));
    }

    static std::vector<std::string> names_of(const Rig& rig) {
        std::vector<std::string> names;
        for (const Joint& joint : rig.joints) { names.push_back(joint.name); }
        return names;
    }

    /// Says once a file what its rig and ours do not share.
    void compare_joints(const ImportedFile& from, const Rig& rig, const FittedClip& fitted, const ClipDefinition& clip,
                        const Text& file, const FitDefinition* fit) {
        if (!compared_.insert({file.value, fit}).second) { return; }
        if (fit != nullptr) {
            std::vector<std::string>& names = joints_seen_by_[fit];
            for (const Joint& joint : from.rig.joints) { names.push_back(joint.name); }
        }
        const std::string path = "clips." + clip.name.value;
        if (fitted.unmoved.size() == rig.joints.size()) {
            sink_.error(
                clip.name.place, "other-rig",
                fmt::format("no joint of '{}' is called as one of the rig; it has {}. Write a fit with 'joints: "
                            "{{THEIRS: OURS}}' or 'strip: PREFIX' and name it in the clip with 'fit: NAME'",
                            file.value, listed(names_of(from.rig), names_of(rig))),
                path);
            return;
        }
        if (!fitted.guessed.empty()) {
            std::vector<std::string> pairs;
            for (const JointMatch& match : fitted.guessed) { pairs.push_back(match.theirs + " as " + match.ours); }
            sink_.add(Severity::note, clip.name.place, "guessed-joints",
                      fmt::format("of '{}' {} joint{} taken by their place in the body: {}; where one is wrong, say "
                                  "'joints: {{THEIRS: OURS}}' in a fit",
                                  file.value, pairs.size(), pairs.size() == 1 ? " was" : "s were",
                                  fmt::join(pairs, ", ")),
                      path);
        }
        if (!fitted.foreign.empty()) {
            const std::size_t count = fitted.foreign.size();
            sink_.warn(
                clip.name.place, "foreign-joints",
                fmt::format("'{}' moves {} joint{} that the rig does not have, which {} left out: {}; where that is "
                            "another name, add it to the 'joints' of a fit",
                            file.value, count, count == 1 ? "" : "s", count == 1 ? "is" : "are",
                            listed(fitted.foreign, fitted.unmoved)),
                path);
        }
        if (!fitted.unmoved.empty()) {
            const std::size_t count = fitted.unmoved.size();
            sink_.add(Severity::note, clip.name.place, "unmoved-joints",
                      fmt::format("'{}' does not know {} joint{} of the rig, which stay{} at rest: {}", file.value,
                                  count, count == 1 ? "" : "s", count == 1 ? "s" : "",
                                  listed(fitted.unmoved, fitted.foreign)),
                      path);
        }
    }

    /// Names in a fit that neither body has do nothing.
    void check_fits(const Rig& rig) {
        const std::vector<std::string> ours = names_of(rig);
        for (const auto& [fit, theirs] : joints_seen_by_) {
            const std::string path = "fits." + fit->name.value;
            const auto knows = [](const std::vector<std::string>& names, const std::string& name) {
                return std::find(names.begin(), names.end(), name) != names.end();
            };
            for (const auto& [their_name, our_name] : fit->joints) {
                if (!knows(theirs, their_name.value) && !knows(theirs, fit->strip.value + their_name.value)) {
                    sink_.unknown(their_name.place, "joint", their_name.value, theirs, path + ".joints");
                }
                if (!knows(ours, our_name.value)) {
                    sink_.unknown(our_name.place, "joint", our_name.value, ours, path + ".joints");
                }
            }
            for (const auto& [our_name, degrees] : fit->turn) {
                if (!knows(ours, our_name.value)) {
                    sink_.unknown(our_name.place, "joint", our_name.value, ours, path + ".turn");
                }
            }
        }
    }

    const Document& document_;
    const FileReader& from_;
    DiagnosticSink sink_;
    std::filesystem::path folder_;
    std::map<const FitDefinition*, std::vector<std::string>> joints_seen_by_; ///< of the files that it was used for
    using FileKey = std::pair<std::string, const FitDefinition*>;
    std::map<FileKey, std::optional<ImportedFile>> files_;
    std::map<const ImportedFile*, std::unordered_map<std::string, const ClipSource*>> by_name_;
    std::set<FileKey> compared_;
    std::set<std::filesystem::path> read_;
    Diagnostics imported_;
    std::size_t keys_ = 0;
};

} // namespace

AssetsRead load_assets(const Document& document, const FileReader& files) { return AssetLoader(document, files).run(); }

namespace {

/// Whether a pattern's letters are those of `name`, a star standing for any.
bool fits_pattern(std::string_view name, std::string_view pattern) {
    const std::size_t star = pattern.find('*');
    if (star == std::string_view::npos) { return name == pattern; }
    if (name.substr(0, star) != pattern.substr(0, star)) { return false; }
    const std::string_view rest = pattern.substr(star + 1);
    for (std::size_t from = star; from <= name.size(); ++from) {
        if (fits_pattern(name.substr(from), rest)) { return true; }
    }
    return false;
}

/// Whether an error only says what another one in its line has said as it was read, what has no place because
/// something else could not be read, or that nobody has the name that one of two namesakes was to have.
bool follows_from(const Diagnostic& found, const Diagnostics& read) {
    if (found.severity != Severity::error) { return false; }
    return std::any_of(read.begin(), read.end(), [&](const Diagnostic& other) {
        const bool same_line = other.place.file == found.place.file && other.place.line == found.place.line;
        const bool namesakes = other.code == "doubled-key" && found.code + "s" == "unknown-" + other.path;
        return other.severity == Severity::error && (same_line || found.place.line == 0 || namesakes);
    });
}

Loaded load_all(DocumentRead read, Completeness completeness, const FileReader& files) {
    Loaded result;
    result.document = std::move(read.document);
    result.diagnostics = std::move(read.diagnostics);
    result.unreadable = !result.diagnostics.empty() && result.diagnostics.front().code == "unreadable-file";
    // A text that is no YAML says nothing more about itself.
    const bool parsed = std::none_of(result.diagnostics.begin(), result.diagnostics.end(), [](const Diagnostic& d) {
        return d.code == "yaml-syntax" || d.code == "empty-file";
    });
    if (result.unreadable || !parsed) { return result; }
    for (Diagnostic& d : expand_clip_sets(result.document, files)) { result.diagnostics.push_back(std::move(d)); }
    AssetsRead assets = load_assets(result.document, files);
    result.files.emplace_back(result.document.file);
    for (const SourceFile& base : result.document.bases) { result.files.emplace_back(base.name); }
    result.files.insert(result.files.end(), assets.files.begin(), assets.files.end());
    Diagnostics gaps;
    if (completeness == Completeness::draft && assets.assets.rig) {
        // With a rig, whatever else is missing from the files is a clip.
        for (Diagnostic& d : assets.diagnostics) { d.severity = std::min(d.severity, Severity::warning); }
        gaps = fill_gaps(result.document, assets.assets);
    }
    Compiled compiled = compile(result.document, assets.assets);
    const bool read_well = !has_errors(result.diagnostics);
    // What could not be read was said better as it was read.
    if (!read_well) {
        std::erase_if(compiled.diagnostics,
                      [&](const Diagnostic& d) { return d.code == "not-read" || follows_from(d, result.diagnostics); });
    }
    for (auto* list : {&assets.diagnostics, &gaps, &compiled.diagnostics}) {
        for (Diagnostic& d : *list) { result.diagnostics.push_back(std::move(d)); }
    }
    answer_warnings(result.document.accepted, result.diagnostics);
    std::stable_sort(result.diagnostics.begin(), result.diagnostics.end(),
                     [](const Diagnostic& a, const Diagnostic& b) {
                         return std::tuple(a.place.file, a.place.line, a.place.column) <
                                std::tuple(b.place.file, b.place.line, b.place.column);
                     });
    if (read_well && !has_errors(assets.diagnostics)) { result.character = std::move(compiled.character); }
    return result;
}

} // namespace

Diagnostics expand_clip_sets(Document& document, const FileReader& files) {
    DiagnosticSink sink(document.files());
    const std::filesystem::path folder = std::filesystem::path(document.file).parent_path();
    std::map<std::string, std::optional<ImportedFile>> known_files;
    for (const ClipPattern& set : std::exchange(document.clip_patterns, {})) {
        const Text& file = set.common.file.empty() ? document.rig : set.common.file;
        if (file.empty()) { continue; } // said of the document
        constexpr std::size_t longest_pattern = 200;
        if (std::count(set.pattern.value.begin(), set.pattern.value.end(), '*') > 3 ||
            set.pattern.value.size() > longest_pattern) {
            sink.error(set.pattern.place, "wrong-name", "a pattern has one to three stars, such as 'stroll_*'");
            continue;
        }
        if (!known_files.contains(file.value)) {
            known_files[file.value] = import_file(folder / file.value, {}, {}, files).file;
        }
        const std::optional<ImportedFile>& imported = known_files[file.value];
        if (!imported) { continue; } // said as its clips are loaded
        bool any = false;
        std::vector<std::string> names;
        for (const ClipSource& source : imported->clips) {
            names.push_back(source.name);
            if (!fits_pattern(source.name, set.pattern.value)) { continue; }
            any = true;
            const bool known =
                std::any_of(document.clips.begin(), document.clips.end(), [&](const ClipDefinition& clip) {
                    const std::string& animation = clip.animation.empty() ? clip.name.value : clip.animation.value;
                    const Text& from = clip.file.empty() ? document.rig : clip.file;
                    return animation == source.name && from.value == file.value;
                });
            if (known) { continue; }
            ClipDefinition clip = set.common;
            clip.animation = Text(source.name, set.pattern.place);
            clip.name = Text(set.prefix.value + source.name + set.suffix.value, set.pattern.place);
            document.clips.push_back(std::move(clip));
        }
        if (!any) {
            sink.error(
                set.pattern.place, "unknown-animation",
                fmt::format("no animation of '{}' fits '{}'; there are {}", file.value, set.pattern.value,
                            fmt::join(names.begin(),
                                      names.begin() + std::ptrdiff_t(std::min<std::size_t>(names.size(), 8)), ", ")));
        }
    }
    return sink.take();
}

namespace {

/// What `work` loads, or that there was not enough memory for it.
template <typename Name, typename Work> Loaded with_enough_memory(const Name& name, Work work) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        // What was taken for the attempt is free again by now, so the few words find room.
        Loaded result;
        result.unreadable = true;
        Diagnostic& diagnostic = result.diagnostics.emplace_back();
        diagnostic.code = "out-of-memory";
        diagnostic.message = "there is not enough memory to load this; nothing was loaded";
        diagnostic.file = std::filesystem::path(name).string();
        return result;
    }
}

} // namespace

Loaded load(const std::filesystem::path& path, Completeness completeness) { return load(path, {}, completeness); }

Loaded load(const std::filesystem::path& path, const FileReader& files, Completeness completeness) {
    return with_enough_memory(path, [&] { return load_all(read_document(path, files), completeness, files); });
}

Loaded load_text(const std::string& text, const std::string& name, const FileReader& files, Completeness completeness) {
    return with_enough_memory(name,
                              [&] { return load_all(read_document_text(text, name, files), completeness, files); });
}

} // namespace gait
