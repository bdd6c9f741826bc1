/// \file
/// What is wrong with an input: where, what was expected, and what to do.
#pragma once

#include "gait/api.hpp"

#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

/// A place in a text file, counted from 1; columns count characters. Line 0 means the text was not read from a file.
struct Place {
    int line = 0;
    int column = 0;
    int file = 0; ///< of a document that is based on others: 0 its own file, above that the base's, the base's base
};

/// An error keeps a document from playing; a warning is likely a mistake; a note is worth knowing.
enum class Severity { note, warning, error };

/// One finding. `message` is a sentence without its full stop: what was found, what was expected, what to write.
struct Diagnostic {
    Severity severity = Severity::error;
    std::string code; ///< stable and greppable, such as `unknown-parameter`
    std::string message;
    std::string file; ///< the file, as the caller named it
    Place place;
    std::string source_line; ///< the line at `place`, without its end; empty when there is none
    int source_from = 1;     ///< the column at which `source_line` begins: of a very long line only a part is kept
    std::string path; ///< where in the document, such as `layers.body.states.still`, for documents made by a program
};

/// A text whose lines can be shown. Copies share it.
class GAIT_API SourceText {
public:
    /// None, as of a document that a program fills.
    SourceText() = default;
    /// The text of a file.
    explicit SourceText(std::string text);

    /// Whether there is none.
    [[nodiscard]] bool empty() const { return content_ == nullptr; }
    /// A line, counted from 1, without its end; empty where there is none.
    [[nodiscard]] std::string_view line(int number) const;

private:
    struct Content {
        std::string text;
        std::vector<std::size_t> starts; ///< of every so many lines
    };
    std::shared_ptr<const Content> content_;
};

/// A text file that findings speak of.
struct SourceFile {
    std::string name; ///< as it was found
    SourceText text;  ///< for diagnostics
};

/// Findings, in the order of the text they speak of.
using Diagnostics = std::vector<Diagnostic>;

/// Whether any of them is an error.
[[nodiscard]] GAIT_API bool has_errors(const Diagnostics& diagnostics);

/// `file:line:column: severity: message [code]`, then the source line and a caret where there is one. No trailing
/// newline.
[[nodiscard]] GAIT_API std::string format(const Diagnostic& diagnostic);

/// All of them, a line (or three) each.
[[nodiscard]] GAIT_API std::string format(const Diagnostics& diagnostics);

/// The name in `known` closest to `name`, or empty when none is near enough to be a slip of the hand.
[[nodiscard]] GAIT_API std::string nearest_name(const std::string& name, const std::vector<std::string>& known);

} // namespace gait
