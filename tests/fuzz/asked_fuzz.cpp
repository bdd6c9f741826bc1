// What pages ask of a stage, a message a line, and the performance that is asked.
#include "fuzz.hpp"
#include "gait/load.hpp"
#include "performance.hpp"
#include "wire.hpp"

#include <sstream>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const std::shared_ptr<const gait::Loaded> loaded = [] {
        const char* document =
            "gait: 1\nrig: fuzz.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}, run: {loop: yes}}\n"
            "parameters:\n  speed: {kind: number, range: [0, 6], unit: m/s}\n  heading: {kind: angle}\n"
            "  halt: {kind: flag}\n  hands: {kind: choice, of: [free, lantern]}\n  hop: {kind: signal}\n"
            "layers:\n  - name: body\n    machine:\n      start: still\n      states:\n"
            "        still: {play: stand, go: [{to: moving, when: speed > 1, fade: 0.2}]}\n"
            "        moving: {play: {blend: speed, points: {1: stroll, 4: run}}, go: [{to: still, when: halt, fade: "
            "0.2},"
            " {to: still, signal: hop, fade: 0.1}]}\n";
        const auto read = gait::read_document_text(document, "fuzz.gait.yaml");
        auto made = std::make_shared<gait::Loaded>();
        made->document = read.document;
        made->character = gait::compile(read.document, fuzz::assets()).character;
        fuzz::require(made->character != nullptr && !gait::has_errors(read.diagnostics));
        return made;
    }();
    gait::stage::Performance performance(loaded, std::nullopt);
    std::istringstream messages(fuzz::text(bytes, size));
    constexpr int most_messages = 200;
    std::string message;
    for (int m = 0; m < most_messages && std::getline(messages, message); ++m) {
        const auto meaning = gait::stage::understand(message, performance.character());
        if (const auto* ask = std::get_if<gait::stage::Ask>(&meaning)) {
            if (ask->kind == gait::stage::Ask::Kind::input) { performance.ask(ask->input); }
            if (ask->kind == gait::stage::Ask::Kind::go_to) { performance.go_to(ask->frame); }
        }
        performance.play();
        fuzz::require(performance.frame() <= performance.newest() && performance.oldest() <= performance.frame());
    }
    (void)gait::stage::frame_bytes(performance, gait::stage::WithPose::yes);
    (void)performance.cue_sheet();
    return 0;
}
