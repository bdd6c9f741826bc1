#include "fuzz.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    const gait::ImportResult result = gait::import_bvh(fuzz::file("fuzz.bvh", bytes, size));
    fuzz::require(result.file.has_value() != gait::has_errors(result.diagnostics));
    (void)gait::format(result.diagnostics);
    if (!result.file) { return 0; }
    for (const gait::ClipSource& clip : result.file->clips) {
        if (clip.seconds < 10 && result.file->rig.joints.size() < 50) {
            (void)gait::measure_clip(clip, result.file->rig);
            (void)gait::fit_clip(clip, result.file->rig, *fuzz::assets().rig);
        }
    }
    return 0;
}
