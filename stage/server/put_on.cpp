#include "put_on.hpp"

#include "gait/cue_player.hpp"

namespace gait::stage {
namespace {

[[noreturn]] void refuse(const char* what, const Diagnostics& diagnostics) {
    StageError error(what);
    error.diagnostics = diagnostics;
    throw error;
}

} // namespace

PutOn put_on(const StageDefinition& definition, std::shared_ptr<const Loaded> loaded) {
    if (!loaded->character) { refuse("the document does not play yet; mend what is said above", loaded->diagnostics); }
    PutOn on{std::move(loaded), std::nullopt, 0};
    if (definition.cues.empty()) { return on; }
    CueSheetRead cues = read_cue_sheet(definition.cues);
    if (!has_errors(cues.diagnostics)) {
        on.last_cue = CuePlayer(cues.sheet, *on.loaded->character, cues.diagnostics).last();
    }
    if (has_errors(cues.diagnostics)) {
        refuse("the cue sheet cannot be played; mend what is said above", cues.diagnostics);
    }
    on.sheet = std::move(cues.sheet);
    return on;
}

} // namespace gait::stage
