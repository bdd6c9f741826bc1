#include "gait/acceptance.hpp"

#include "diagnostics/sink.hpp"

#include <algorithm>

namespace gait {

void answer_warnings(std::vector<Acceptance>& accepted, Diagnostics& found) {
    std::erase_if(found, [&](const Diagnostic& finding) {
        if (finding.severity != Severity::warning) { return false; }
        bool answered = false;
        for (Acceptance& acceptance : accepted) {
            if (acceptance.code != finding.code) { continue; }
            const bool everywhere = acceptance.from == 0;
            const bool here = finding.place.file == acceptance.place.file && finding.place.line >= acceptance.from &&
                              finding.place.line <= acceptance.to;
            if (!everywhere && !here) { continue; }
            acceptance.met = answered = true;
        }
        return answered;
    });
}

Diagnostics unmet_acceptances(const std::vector<Acceptance>& accepted, const std::vector<SourceFile>& files) {
    detail::DiagnosticSink sink(files.empty() ? std::vector<SourceFile>(1) : files);
    for (const Acceptance& acceptance : accepted) {
        if (acceptance.met) { continue; }
        sink.warn(acceptance.place, "not-met",
                  "'" + acceptance.code + "' is accepted " +
                      (acceptance.from == 0 ? "for the whole document" : "here") +
                      ", where no such warning is found; remove it");
    }
    return sink.take();
}

} // namespace gait
