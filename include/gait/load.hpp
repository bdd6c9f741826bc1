/// \file
/// From files to a document, its rig and clips, and a character that can be played.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/compile.hpp"
#include "gait/diagnostic.hpp"
#include "gait/document.hpp"
#include "gait/file_reader.hpp"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace gait {

/// A document as read. With errors among the diagnostics, `document` holds what could be understood.
struct DocumentRead {
    Document document;
    Diagnostics diagnostics;
};

/// Reads `NAME.gait.yaml`. An unreadable file is one diagnostic with the code `unreadable-file`.
[[nodiscard]] GAIT_API DocumentRead read_document(const std::filesystem::path& path, const FileReader& files = {});

/// The same from memory; `name` stands for the file in diagnostics, and the files it names are found beside that.
[[nodiscard]] GAIT_API DocumentRead read_document_text(const std::string& text, const std::string& name,
                                                       const FileReader& files = {});

/// What `load_assets` found, and what it missed.
struct AssetsRead {
    Assets assets;
    Diagnostics diagnostics;
    std::vector<std::filesystem::path> files; ///< read for them, each once
};

/// Imports the files a document names, found relative to the document, each once. Every file and clip that is missing
/// or broken is an error among the diagnostics.
[[nodiscard]] GAIT_API AssetsRead load_assets(const Document& document, const FileReader& files = {});

/// Puts in the place of `clip_patterns` a clip for each animation that fits, in the order of its file; one that a clip
/// of the document plays already is left out. `load` does it; who reads and compiles by hand calls it before
/// `load_assets`.
[[nodiscard]] GAIT_API Diagnostics expand_clip_sets(Document& document, const FileReader& files = {});

/// How much must be there.
enum class Completeness { complete, draft };

/// A document read, its files imported, and all of it compiled: what a game calls once.
struct Loaded {
    std::shared_ptr<const Character> character; ///< null when some diagnostic is an error
    Document document;
    Diagnostics diagnostics;
    std::vector<std::filesystem::path> files; ///< all that was read: the document, its bases, and the assets' files
    bool unreadable = false; ///< a file could not be read or is broken, as against a document with mistakes in it
};

/// With `Completeness::draft` gaps are filled as by `fill_gaps`. Running out of memory is a diagnostic too
/// (`out-of-memory`), where the functions above throw std::bad_alloc.
[[nodiscard]] GAIT_API Loaded load(const std::filesystem::path& path,
                                   Completeness completeness = Completeness::complete);
/// The same from a game's own archive: `files` is asked for the document, its bases, and all files that they name.
[[nodiscard]] GAIT_API Loaded load(const std::filesystem::path& path, const FileReader& files,
                                   Completeness completeness = Completeness::complete);
/// The same of a document's text; `name` stands for its file, and what it names is found beside that.
[[nodiscard]] GAIT_API Loaded load_text(const std::string& text, const std::string& name, const FileReader& files = {},
                                        Completeness completeness = Completeness::complete);

} // namespace gait
