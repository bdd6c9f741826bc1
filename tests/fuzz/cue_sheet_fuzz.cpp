#include "fuzz.hpp"
#include "gait/cue_player.hpp"
#include "gait/load.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const std::shared_ptr<const gait::Character> character = [] {
        const char* document = "gait: 1\nrig: fuzz.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}}\n"
                               "parameters:\n  speed: {kind: number, range: [0, 6]}\n  halt: {kind: flag}\n"
                               "layers:\n  - name: body\n    machine:\n      start: still\n      states:\n"
                               "        still: {play: stand, go: [{to: moving, when: speed > 1, fade: 0.2}]}\n"
                               "        moving: {play: stroll, go: [{to: still, when: halt, fade: 0.2}]}\n";
        const auto read = gait::read_document_text(document, "fuzz.gait.yaml");
        auto compiled = gait::compile(read.document, fuzz::assets());
        fuzz::require(compiled.character != nullptr && !gait::has_errors(read.diagnostics));
        return compiled.character;
    }();
    gait::CueSheetRead read = gait::read_cue_sheet_text(fuzz::text(bytes, size), "fuzz.cues.yaml");
    gait::CuePlayer cues(read.sheet, *character, read.diagnostics);
    (void)gait::format(read.diagnostics);
    if (!gait::has_errors(read.diagnostics)) { fuzz::play(character, &cues); }
    return 0;
}
