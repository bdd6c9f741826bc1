#include "fuzz.hpp"
#include "gait/load.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    gait::DocumentRead read = gait::read_document_text(fuzz::text(bytes, size), "fuzz.gait.yaml");
    gait::Assets assets = fuzz::assets();
    const gait::Compiled compiled = gait::compile(read.document, assets);
    const bool failed = gait::has_errors(read.diagnostics) || gait::has_errors(compiled.diagnostics);
    fuzz::require(gait::has_errors(compiled.diagnostics) == (compiled.character == nullptr));
    (void)gait::format(read.diagnostics);
    (void)gait::format(compiled.diagnostics);
    if (!failed) {
        fuzz::play(compiled.character);
        (void)gait::inspect(read.document, assets, compiled.character.get());
        (void)gait::forbidden_pairs(*compiled.character);
        (void)gait::explain_transitions(gait::Performer(compiled.character));
    }
    (void)gait::fill_gaps(read.document, assets);
    const gait::Compiled draft = gait::compile(read.document, assets);
    if (draft.character) { fuzz::play(draft.character); }
    return 0;
}
