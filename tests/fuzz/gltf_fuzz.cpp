#include "fuzz.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    const bool binary = fuzz::text(bytes, size).starts_with("glTF");
    const gait::ImportResult result = gait::import_gltf(fuzz::file(binary ? "fuzz.glb" : "fuzz.gltf", bytes, size));
    fuzz::require(result.file.has_value() != gait::has_errors(result.diagnostics));
    (void)gait::format(result.diagnostics);
    if (result.file) {
        for (const gait::ClipSource& clip : result.file->clips) { (void)gait::loop_gap(clip, result.file->rig); }
    }
    return 0;
}
