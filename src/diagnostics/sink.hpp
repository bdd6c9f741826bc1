/// Collects the findings of one text.
#pragma once

#include "gait/diagnostic.hpp"

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gait::detail {

class DiagnosticSink {
public:
    /// `source` are the file's lines, `file` its name as the caller gave it; both may be empty for texts made by a
    /// program.
    DiagnosticSink(std::string file, std::vector<std::string> source) {
        files_.push_back({std::move(file), std::move(source)});
    }
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

    [[nodiscard]] Diagnostics take() { return std::move(list_); }
    [[nodiscard]] const Diagnostics& list() const { return list_; }

private:
    std::vector<SourceFile> files_; ///< what `Place::file` counts
    Diagnostics list_;
};

/// A text's lines without their ends.
[[nodiscard]] std::vector<std::string> split_lines(std::string_view text);

} // namespace gait::detail
