/// \file
/// From a document to a character that can be played.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/clip.hpp"
#include "gait/diagnostic.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>

namespace gait {

/// A document as read. With errors among the diagnostics, `document` holds what could be understood.
struct DocumentRead {
    Document document;
    Diagnostics diagnostics;
};

/// Reads `NAME.gait.yaml`. An unreadable file is one diagnostic with the code `unreadable-file`.
[[nodiscard]] GAIT_API DocumentRead read_document(const std::filesystem::path& path);

/// The same from memory; `name` stands for the file in diagnostics.
[[nodiscard]] GAIT_API DocumentRead read_document_text(const std::string& text, const std::string& name);

/// The rig and clips a document speaks of.
struct Assets {
    std::optional<Rig> rig;
    std::map<std::string, ClipSource> clips; ///< by the document's name for them
    std::set<std::string> failed;            ///< clips that were said to be missing already
};

/// What `load_assets` found, and what it missed.
struct AssetsRead {
    Assets assets;
    Diagnostics diagnostics;
};

/// Imports the files a document names, found relative to the document, each once. Every file and clip that is missing
/// or broken is an error among the diagnostics.
[[nodiscard]] GAIT_API AssetsRead load_assets(const Document& document);

/// `character` is null when some diagnostic is an error.
struct Compiled {
    std::shared_ptr<const Character> character;
    Diagnostics diagnostics;
};

/// Checks and compiles a document, whether it was read from a file or filled by a program. Every finding is returned,
/// never only the first. Nothing is looked up by name afterwards.
///
/// A number parameter that drives a blend space and does not say `smooth` is smoothed by 0.1 s, so that a jump of the
/// input cannot pop the pose; any other follows at once.
[[nodiscard]] GAIT_API Compiled compile(const Document& document, const Assets& assets);

/// Makes a half-built document playable: a clip that is missing (undefined, or not to be found in its file) is played
/// as the rest pose, a state that is missing waits in the rest pose, a machine without a start begins in its first
/// state. Each gap is a warning. Other mistakes stay what they are.
[[nodiscard]] GAIT_API Diagnostics fill_gaps(Document& document, Assets& assets);

/// How much must be there.
enum class Completeness { complete, draft };

/// A document read, its files imported, and all of it compiled: what a game calls once.
struct Loaded {
    std::shared_ptr<const Character> character; ///< null when some diagnostic is an error
    Document document;
    Diagnostics diagnostics;
    bool unreadable = false; ///< a file could not be read or is broken, as against a document with mistakes in it
};

/// With `Completeness::draft` gaps are filled as by `fill_gaps`. Running out of memory is a diagnostic too
/// (`out-of-memory`), where the functions above throw std::bad_alloc.
[[nodiscard]] GAIT_API Loaded load(const std::filesystem::path& path,
                                   Completeness completeness = Completeness::complete);

} // namespace gait
