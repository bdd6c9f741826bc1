#include "gait/stage.hpp"

#include "byte_writer.hpp"
#include "page.hpp"
#include "put_on.hpp"
#include "wire.hpp"

#include <fmt/format.h>
#include <zlib.h>

#include <cmath>
#include <new>

namespace gait {
namespace {

using namespace stage;

std::string base64(const std::string& bytes) {
    constexpr const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        const auto at = [&](std::size_t k) {
            return i + k < bytes.size() ? unsigned(static_cast<unsigned char>(bytes[i + k])) : 0U;
        };
        const unsigned three = at(0) << 16U | at(1) << 8U | at(2);
        out += digits[three >> 18U & 63U];
        out += digits[three >> 12U & 63U];
        out += i + 1 < bytes.size() ? digits[three >> 6U & 63U] : '=';
        out += i + 2 < bytes.size() ? digits[three & 63U] : '=';
    }
    return out;
}

/// JSON that may stand inside a script: nothing in it ends one.
std::string script_text(const nlohmann::json& json) {
    std::string out;
    for (const char c : json.dump(-1, ' ', true, nlohmann::json::error_handler_t::replace)) {
        if (c == '<') {
            out += "\\u003c";
        } else if (c == '>') {
            out += "\\u003e";
        } else if (c == '&') {
            out += "\\u0026";
        } else {
            out += c;
        }
    }
    return out;
}

/// As `gzip` writes it, which browsers read by themselves.
std::string compressed(const std::string& bytes) {
    z_stream stream{};
    constexpr int gzip = 16;
    if (deflateInit2(&stream, Z_BEST_COMPRESSION, Z_DEFLATED, MAX_WBITS + gzip, 9, Z_DEFAULT_STRATEGY) != Z_OK) {
        throw std::bad_alloc();
    }
    std::string out(deflateBound(&stream, uLong(bytes.size())), '\0');
    stream.next_in = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(bytes.data())); // NOLINT: it is only read
    stream.avail_in = uInt(bytes.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = uInt(out.size());
    deflate(&stream, Z_FINISH);
    out.resize(stream.total_out);
    deflateEnd(&stream);
    return out;
}

void replace(std::string& text, std::string_view what, std::string_view by) {
    const std::size_t at = text.find(what);
    if (at != std::string::npos) { text.replace(at, what.size(), by); }
}

/// Number by number, each as it changed from pose to pose: so it compresses well.
std::string as_changes(const std::vector<std::int16_t>& poses, std::size_t width) {
    ByteWriter out;
    for (std::size_t number = 0; number < width; ++number) {
        std::uint16_t before = 0;
        for (std::size_t at = number; at < poses.size(); at += width) {
            const auto value = std::uint16_t(poses[at]);
            out.whole(std::uint16_t(value - before));
            before = value;
        }
    }
    return out.take();
}

/// A pose in few bytes: each joint's turn in body space to within a hundredth of a degree, its place to within 0.1 mm.
void add_pose(std::vector<std::int16_t>& out, const std::vector<Transform>& model) {
    for (const Transform& joint : model) {
        Quat q = joint.rotation;
        if (q.w < 0) { q = -q; }
        for (const float value : {q.x, q.y, q.z}) {
            out.push_back(std::int16_t(std::lround(double(std::clamp(value, -1.0F, 1.0F)) * 32767)));
        }
        for (const float value : {joint.translation.x, joint.translation.y, joint.translation.z}) {
            out.push_back(std::int16_t(std::clamp(std::lround(double(value) * 1e4), -32768L, 32767L)));
        }
    }
}

} // namespace

std::string saved_stage(const StageDefinition& definition, double seconds) {
    const PutOn on =
        put_on(definition, std::make_shared<const Loaded>(load(definition.document, definition.completeness)));
    const std::shared_ptr<const Loaded>& loaded = on.loaded;
    constexpr double rest = 2; // seconds after the last cue
    if (!(seconds > 0) && on.sheet) { seconds = on.sheet->seconds > 0 ? on.sheet->seconds : on.last_cue + rest; }
    constexpr double longest = 600;
    if (!(seconds > 0) || seconds > longest) {
        throw StageError(
            fmt::format("a page holds up to {} seconds; say how long with --seconds, or in the cue sheet", longest));
    }
    Performance performance(loaded, on.sheet);
    const DrawnBody body = drawn_body(*loaded);
    const nlohmann::json document = describe(performance, plan_of(*loaded->character), body);
    // Rows of every frame, the pose of every second one.
    constexpr int pose_every = 2;
    ByteWriter rows;
    std::vector<std::int16_t> poses;
    Skipped skipped;
    std::vector<Transform> model(loaded->character->joint_count());
    const auto frames = std::int64_t(std::llround(seconds * frames_per_second));
    for (std::int64_t f = 0; f <= frames; ++f) {
        if (f > 0) { performance.play(); }
        if (f % pose_every != 0) {
            skipped = what_happened(performance);
            continue;
        }
        const std::string row = frame_bytes(performance, WithPose::no, &skipped);
        rows.whole(std::uint32_t(row.size()));
        rows.append(row.data(), row.size());
        performance.now().performer.model_pose(model);
        add_pose(poses, model);
    }
    std::string page(page_part("index.html")->bytes);
    replace(page, "<link rel=\"stylesheet\" href=\"stage.css\">",
            fmt::format("<style>{}</style>", page_part("stage.css")->bytes));
    nlohmann::json pictures = nlohmann::json::array();
    for (const detail::MeshPicture& picture : body.pictures) {
        pictures.push_back(fmt::format("data:{};base64,{}", picture.type, base64(picture.bytes)));
    }
    const nlohmann::json saved{{"document", document},
                               {"body", base64(compressed(body.bytes))},
                               {"rows", base64(compressed(rows.bytes()))},
                               {"poses", base64(compressed(as_changes(poses, 6 * model.size())))},
                               {"pictures", pictures},
                               {"pose_every", pose_every}};
    std::string script(page_part("stage.js")->bytes);
    // What would end the script stands in no string of ours.
    replace(
        page, "<script type=\"module\" src=\"stage.js\"></script>",
        fmt::format("<script id=\"saved\" type=\"application/json\">{}</script>\n<script type=\"module\">{}</script>",
                    script_text(saved), script));
    return page;
}

} // namespace gait
