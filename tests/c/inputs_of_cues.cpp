// What a cue sheet sets and sends, a line an input and `a` for a frame, as play.c and its like read them: see
// c_test.cpp.
#include "gait/gait.hpp"

#include <cstdint>
#include <cstdio>
#include <vector>

int main(int count, char** arguments) {
    if (count != 3) { return 2; }
    const gait::Loaded loaded = gait::load(arguments[1]);
    gait::CueSheetRead read = gait::read_cue_sheet(arguments[2]);
    if (!loaded.character || gait::has_errors(read.diagnostics)) { return 1; }
    const gait::Character& her = *loaded.character;
    gait::CuePlayer player(read.sheet, her, read.diagnostics);
    gait::Performer performer(loaded.character);
    std::vector<float> before(her.parameters().size(), -1e9F);
    constexpr double step = 1 / 60.0;
    for (int frame = 0; frame < int(read.sheet.seconds * 60); ++frame) {
        player.apply(performer, frame * step);
        for (std::size_t p = 0; p < before.size(); ++p) {
            const gait::ParameterInfo& info = her.parameters()[p];
            const float value = performer.get(gait::NumberParameter{{std::uint16_t(p)}});
            if (info.computed || info.kind == gait::ParameterKind::signal || value == before[p]) { continue; }
            before[p] = value;
            if (info.kind == gait::ParameterKind::flag) {
                std::printf("f %s %d\n", info.name.c_str(), value != 0 ? 1 : 0);
            } else if (info.kind == gait::ParameterKind::choice) {
                std::printf("c %s %s\n", info.name.c_str(), info.of[std::size_t(value)].c_str());
            } else {
                std::printf("n %s %.9g\n", info.name.c_str(), double(value));
            }
        }
        for (const std::uint16_t signal : player.sent()) {
            std::printf("s %s -\n", her.parameters()[signal].name.c_str());
        }
        performer.advance(step); // what a cue leads to may be asked of it
        std::printf("a - %.17g\n", step);
    }
    return 0;
}
