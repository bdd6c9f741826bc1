/// Collects the findings of one text, and of a flood of them the first thousand.
#pragma once

#include "gait/diagnostic.hpp"

#include <array>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gait::detail {

class DiagnosticSink {
public:
    /// `source` is the file's text, `file` its name as the caller gave it; both may be empty for texts made by a
    /// program.
    DiagnosticSink(std::string file, SourceText source) { files_.push_back({std::move(file), std::move(source)}); }
    /// Of texts whose places lie in several files, as `Place::file` counts them; at least one.
    explicit DiagnosticSink(std::vector<SourceFile> files) : files_(std::move(files)) {}

    /// Columns of `place` count bytes, as the parser gives them; they are turned into characters here.
    void add(Severity severity, Place place, std::string code, std::string message, std::string path = {});
    void error(Place place, std::string code, std::string message, std::string path = {}) {
        add(Severity::error, place, std::move(code), std::move(message), std::move(path));
    }
    void warn(Place place, std::string code, std::string message, std::string path = {}) {
        add(Severity::warning, place, std::move(code), std::move(message), std::move(path));
    }
    /// `no KIND 'name'`, with the nearest of `known` or all of them.
    void unknown(Place place, const std::string& kind, const std::string& name, const std::vector<std::string>& known,
                 std::string path = {});

    /// The findings, and how many more there were.
    [[nodiscard]] Diagnostics take();
    [[nodiscard]] const Diagnostics& list() const { return list_; }

    /// What `unknown` says: its code, and the sentence.
    [[nodiscard]] std::pair<std::string, std::string>
    words_for_unknown(const std::string& kind, const std::string& name, const std::vector<std::string>& known);

private:
    std::vector<SourceFile> files_; ///< what `Place::file` counts
    Diagnostics list_;
    std::array<std::size_t, 3> kept_{}, left_out_{}; ///< by severity
    std::size_t compared_ = 0;
};

} // namespace gait::detail
