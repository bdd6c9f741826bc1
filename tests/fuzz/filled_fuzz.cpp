// A document that a program fills: any of its numbers may be anything.
#include "fuzz.hpp"
#include "hostile.hpp"
#include "machine_support.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    // A few keys of each clip say as much here as all of them.
    static const gait::Assets assets = [] {
        gait::Assets made = support::machine_assets();
        for (auto& [name, clip] : made.clips) {
            for (gait::JointTracks& tracks : clip.tracks) {
                auto& [interpolation, times, values] = tracks.rotation;
                times = {times.front(), times[times.size() / 2], times.back()};
                values = {values.front(), values[values.size() / 2], values.back()};
            }
        }
        return made;
    }();
    gait::Document document = support::rich_document();
    std::vector<double*> numbers;
    support::NumberWalk([&](double& number) { numbers.push_back(&number); }).document(document);
    support::Choices choices({bytes, size});
    for (std::size_t changes = 1 + choices.below(6); changes > 0 && !choices.ended(); --changes) {
        *numbers[choices.below(numbers.size())] = choices.number();
    }
    const gait::Compiled compiled = gait::compile(document, assets);
    fuzz::require(gait::has_errors(compiled.diagnostics) == (compiled.character == nullptr));
    if (compiled.character) {
        gait::Performer performer(compiled.character);
        support::Choices further(static_cast<std::uint32_t>(size));
        fuzz::require(support::play_hard(performer, further, 10, false).empty());
    }
    return 0;
}
