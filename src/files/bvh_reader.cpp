#include "files/clips_home.hpp"
#include "files/file_problems.hpp"
#include "files/stance.hpp"
#include "files/write_file.hpp"
#include "gait/bvh.hpp"
#include "math/bounds.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr int deepest = 256;

/// Thrown inside the reader alone, and caught there.
struct BvhError {
    std::size_t offset = 0; ///< bytes
    std::string message;
};

/// One of the six numbers that a joint can have a frame.
struct Channel {
    bool turns = false;
    int axis = 0;
};

struct BvhJoint {
    std::string name;
    int parent = -1;
    std::array<double, 3> offset{};
    std::vector<Channel> channels;
    std::size_t first_channel = 0;
    std::vector<std::array<double, 3>> end_sites;
};

/// Words and numbers between blanks.
class Scanner {
public:
    explicit Scanner(std::string_view text) : text_(text) {}

    [[nodiscard]] std::size_t at() {
        skip_blanks();
        return at_;
    }
    [[nodiscard]] bool ended() { return at() >= text_.size(); }

    [[nodiscard]] std::string_view peek() {
        skip_blanks();
        return text_.substr(at_, word_length());
    }
    std::string_view word() {
        const std::string_view word = peek();
        at_ += word.size();
        return word;
    }
    /// Up to the line's end or a brace, without blanks at the end.
    std::string_view rest_of_line() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t')) { ++at_; }
        std::size_t end = at_;
        while (end < text_.size() && text_[end] != '\n' && text_[end] != '\r' && text_[end] != '{') { ++end; }
        std::string_view line = text_.substr(at_, end - at_);
        at_ = end;
        while (!line.empty() && is_blank(line.back())) { line.remove_suffix(1); }
        return line;
    }

    void expect(std::string_view what) {
        const std::size_t where = at();
        const std::string_view found = word();
        if (!same(found, what)) { throw BvhError{where, fmt::format("expected '{}', found {}", what, shown(found))}; }
    }

    double number(const char* what) {
        const std::size_t where = at();
        std::string_view found = word();
        const std::string_view whole = found;
        if (found.starts_with('+')) { found.remove_prefix(1); }
        double value = 0;
        const auto [end, problem] = std::from_chars(found.data(), found.data() + found.size(), value);
        if (problem != std::errc{} || end != found.data() + found.size() || !std::isfinite(value) ||
            std::abs(value) > farthest) {
            throw BvhError{where, fmt::format("expected {}, found {}", what, shown(whole))};
        }
        return value;
    }

    static bool same(std::string_view a, std::string_view b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
            return std::tolower(static_cast<unsigned char>(x)) == std::tolower(static_cast<unsigned char>(y));
        });
    }
    static std::string shown(std::string_view found) {
        constexpr std::size_t most = 40;
        std::string text;
        for (const char c : found.substr(0, most)) {
            text += static_cast<unsigned char>(c) < 32 || static_cast<unsigned char>(c) > 126 ? '?' : c;
        }
        return found.empty() ? "the end of the file" : "'" + text + (found.size() > most ? "...'" : "'");
    }

private:
    static bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f' || c == '\v'; }
    void skip_blanks() {
        while (at_ < text_.size() && is_blank(text_[at_])) { ++at_; }
    }
    [[nodiscard]] std::size_t word_length() const {
        if (at_ < text_.size() && (text_[at_] == '{' || text_[at_] == '}')) { return 1; }
        std::size_t end = at_;
        while (end < text_.size() && !is_blank(text_[end]) && text_[end] != '{' && text_[end] != '}') { ++end; }
        return end - at_;
    }
    std::string_view text_;
    std::size_t at_ = 0;
};

struct BvhFile {
    std::vector<BvhJoint> joints; ///< parents before their children
    std::size_t channel_count = 0;
    std::size_t frames = 0;
    double frame_seconds = 0;
    std::vector<float> values;       ///< [frame][channel]
    std::optional<BvhError> surplus; ///< what stands after them
};

class BvhParser {
public:
    explicit BvhParser(std::string_view text) : scanner_(text) {}

    BvhFile parse() {
        scanner_.expect("HIERARCHY");
        while (Scanner::same(scanner_.peek(), "ROOT")) {
            scanner_.word();
            joint(-1, 0);
        }
        if (file_.joints.empty()) { scanner_.expect("ROOT"); }
        motion();
        return std::move(file_);
    }

private:
    void joint(int parent, int depth) {
        const std::size_t where = scanner_.at();
        if (depth > deepest) { throw BvhError{where, fmt::format("joints nest deeper than {}", deepest)}; }
        if (file_.joints.size() == most_joints_read) {
            throw BvhError{where,
                           fmt::format("more than {} joints; leave out helpers when exporting", most_joints_read)};
        }
        const std::size_t index = file_.joints.size();
        file_.joints.emplace_back();
        std::string name(scanner_.rest_of_line());
        if (name.empty()) { name = fmt::format("joint_{}", index); }
        file_.joints[index].name = std::move(name);
        file_.joints[index].parent = parent;
        scanner_.expect("{");
        scanner_.expect("OFFSET");
        file_.joints[index].offset = vector();
        channels(index);
        for (;;) {
            const std::size_t at = scanner_.at();
            const std::string_view word = scanner_.word();
            if (word == "}") { return; }
            if (Scanner::same(word, "JOINT")) {
                joint(int(index), depth + 1);
            } else if (Scanner::same(word, "End")) {
                (void)scanner_.rest_of_line();
                scanner_.expect("{");
                scanner_.expect("OFFSET");
                file_.joints[index].end_sites.push_back(vector());
                scanner_.expect("}");
            } else {
                throw BvhError{at, fmt::format("expected 'JOINT', 'End Site' or '}}', found {}", Scanner::shown(word))};
            }
        }
    }

    std::array<double, 3> vector() {
        std::array<double, 3> v{};
        for (double& component : v) { component = scanner_.number("a number of an offset"); }
        return v;
    }

    void channels(std::size_t index) {
        BvhJoint& joint = file_.joints[index];
        joint.first_channel = file_.channel_count;
        if (!Scanner::same(scanner_.peek(), "CHANNELS")) { return; } // a joint that never moves may have none
        scanner_.word();
        const std::size_t where = scanner_.at();
        const double count = scanner_.number("how many channels there are");
        if (count != std::floor(count) || count < 0 || count > 6) {
            throw BvhError{where, fmt::format("a joint has 0 to 6 channels, found {}", count)};
        }
        for (int c = 0; c < int(count); ++c) {
            const std::size_t at = scanner_.at();
            const std::string_view word = scanner_.word();
            Channel channel;
            const auto axis =
                word.empty() ? std::string_view::npos
                             : std::string_view("xyz").find(char(std::tolower(static_cast<unsigned char>(word[0]))));
            const std::string_view kind = word.empty() ? word : word.substr(1);
            channel.turns = Scanner::same(kind, "rotation");
            if (axis == std::string_view::npos || (!channel.turns && !Scanner::same(kind, "position"))) {
                throw BvhError{at, fmt::format("expected a channel such as Xposition or Zrotation, found {}",
                                               Scanner::shown(word))};
            }
            channel.axis = int(axis);
            joint.channels.push_back(channel);
        }
        file_.channel_count += joint.channels.size();
    }

    /// More rows than the file announces, or longer ones, harm nobody.
    void leave_out_rest(std::size_t frames) {
        const std::size_t where = scanner_.at();
        std::size_t more = 0;
        for (; !scanner_.ended(); ++more) { (void)scanner_.number("a number of a frame"); }
        file_.surplus =
            BvhError{where, fmt::format("there is more motion than {} frames of {} numbers; what is over, {} "
                                        "number{}, is left out: see that 'Frames:' and the rows agree",
                                        frames, file_.channel_count, more, more == 1 ? "" : "s")};
    }

    void motion() {
        scanner_.expect("MOTION");
        scanner_.expect("Frames:");
        const std::size_t where = scanner_.at();
        const double frames = scanner_.number("how many frames there are");
        if (frames != std::floor(frames) || frames < 1) {
            throw BvhError{where, fmt::format("there is at least one frame, found {}", frames)};
        }
        scanner_.expect("Frame");
        scanner_.expect("Time:");
        const std::size_t time_at = scanner_.at();
        file_.frame_seconds = scanner_.number("the seconds between frames");
        if (!(file_.frame_seconds > 0) || file_.frame_seconds * (frames - 1) > longest_clip) {
            throw BvhError{time_at, fmt::format("{} frames of {} seconds each are not 0 to {:.0f} seconds", frames,
                                                file_.frame_seconds, longest_clip)};
        }
        // What the file announces is not believed before it is there.
        while (!scanner_.ended()) {
            if (file_.values.size() == std::size_t(frames) * file_.channel_count) {
                leave_out_rest(std::size_t(frames));
                break;
            }
            file_.values.push_back(float(scanner_.number("a number of a frame")));
        }
        if (file_.channel_count == 0 && frames > 1) {
            throw BvhError{where, fmt::format("no joint has channels, so there is one frame, found {}", frames)};
        }
        file_.frames = std::size_t(frames);
        if (file_.values.size() != file_.frames * file_.channel_count) {
            throw BvhError{scanner_.at(),
                           fmt::format("the motion ends after {} numbers; {} frames of {} are {}", file_.values.size(),
                                       file_.frames, file_.channel_count, file_.frames * file_.channel_count)};
        }
    }

    Scanner scanner_;
    BvhFile file_;
};

/// From the file's axes and unit to ours.
struct Axes {
    double scale = 1;
    bool z_up = false;

    [[nodiscard]] Vec3 place(double x, double y, double z) const {
        return z_up ? Vec3{float(x * scale), float(z * scale), float(-y * scale)}
                    : Vec3{float(x * scale), float(y * scale), float(z * scale)};
    }
    /// A turn in the file's axes seen in ours.
    [[nodiscard]] Quat turn(Quat q) const { return z_up ? Quat{q.x, q.z, -q.y, q.w} : q; }
};

Quat about(int axis, double degrees) {
    return axis_angle({axis == 0 ? 1.0F : 0.0F, axis == 1 ? 1.0F : 0.0F, axis == 2 ? 1.0F : 0.0F}, degrees);
}

/// The rest pose's extent along each axis, in the file's units, end sites included.
std::array<double, 3> extent(const BvhFile& file, std::array<double, 3>& lowest) {
    std::array<double, 3> low{}, high{};
    std::vector<std::array<double, 3>> places;
    bool first = true;
    const auto include = [&](const std::array<double, 3>& p) {
        for (std::size_t a = 0; a < 3; ++a) {
            low[a] = first ? p[a] : std::min(low[a], p[a]);
            high[a] = first ? p[a] : std::max(high[a], p[a]);
        }
        first = false;
    };
    for (const BvhJoint& joint : file.joints) {
        std::array<double, 3> p = joint.offset;
        if (joint.parent >= 0) {
            for (std::size_t a = 0; a < 3; ++a) { p[a] += places[std::size_t(joint.parent)][a]; }
        }
        places.push_back(p);
        include(p);
        for (const auto& site : joint.end_sites) { include({p[0] + site[0], p[1] + site[1], p[2] + site[2]}); }
    }
    lowest = low;
    return {high[0] - low[0], high[1] - low[1], high[2] - low[2]};
}

/// The unit in which a body of that height would be between a child and a giant.
/// Metres a unit. Where no unit that people use makes a person of it, it is made a person's size.
double guessed_scale(double height) {
    constexpr double shortest = 1.2, tallest = 2.2, person = 1.7; // metres
    for (const double scale : {1.0, 0.01, 0.0254, 0.001, 0.1}) {
        if (height * scale >= shortest && height * scale <= tallest) { return scale; }
    }
    return height > 0 ? std::round(person / height * 1e4) / 1e4 : 1;
}

ImportedFile to_import(const BvhFile& bvh, const Axes& axes, const std::string& name,
                       std::vector<std::string>& renamed) {
    ImportedFile file;
    file.rig.name = name;
    ClipSource clip;
    clip.name = name;
    clip.seconds = bvh.frame_seconds * double(bvh.frames - 1);
    clip.keys = int(bvh.frames);
    NameList names;
    for (const BvhJoint& joint : bvh.joints) {
        Joint out;
        out.name = names.told_apart(joint.name);
        if (out.name != joint.name) { renamed.push_back(out.name); }
        out.parent = joint.parent;
        out.rest.translation = axes.place(joint.offset[0], joint.offset[1], joint.offset[2]);
        file.rig.joints.push_back(out);
        clip.joints.push_back(out.name);
    }
    std::vector<double> times;
    for (std::size_t f = 0; f < bvh.frames; ++f) { times.push_back(bvh.frame_seconds * double(f)); }
    for (std::size_t j = 0; j < bvh.joints.size(); ++j) {
        const BvhJoint& joint = bvh.joints[j];
        JointTracks tracks;
        bool turns = false, moves = false;
        for (const Channel& channel : joint.channels) {
            turns = turns || channel.turns;
            moves = moves || !channel.turns;
        }
        for (std::size_t f = 0; f < (turns || moves ? bvh.frames : 0); ++f) {
            const float* values = bvh.values.data() + f * bvh.channel_count + joint.first_channel;
            Quat rotation;
            std::array<double, 3> place = joint.offset;
            for (std::size_t c = 0; c < joint.channels.size(); ++c) {
                const Channel& channel = joint.channels[c];
                if (channel.turns) {
                    rotation = rotation * about(channel.axis, double(values[c]));
                } else {
                    place[std::size_t(channel.axis)] = double(values[c]);
                }
            }
            if (turns) { tracks.rotation.values.push_back(axes.turn(normalized(rotation))); }
            if (moves) { tracks.translation.values.push_back(axes.place(place[0], place[1], place[2])); }
        }
        if (turns) { tracks.rotation.times = times; }
        if (moves) { tracks.translation.times = times; }
        clip.tracks.push_back(std::move(tracks));
    }
    file.clips.push_back(std::move(clip));
    return file;
}

/// The inverse bind matrices a rig has where nothing is skinned to it: back from the rest pose.
void bind_to_rest(Rig& rig) {
    const auto model = model_space(rig, rest_pose(rig));
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Quat back = conjugate(model[j].rotation);
        rig.joints[j].inverse_bind = to_matrix({back, rotate(back, model[j].translation * -1), {1, 1, 1}});
    }
}

Diagnostic located(const std::string& file, std::string_view text, const BvhError& error) {
    Diagnostic d;
    d.code = "broken-file";
    d.message = error.message + "; export it again as BVH";
    d.file = file;
    const std::size_t offset = std::min(error.offset, text.size());
    std::size_t begin = 0;
    d.place.line = 1;
    for (std::size_t i = 0; i < offset; ++i) {
        if (text[i] == '\n' || (text[i] == '\r' && (i + 1 == text.size() || text[i + 1] != '\n'))) {
            ++d.place.line;
            begin = i + 1;
        }
    }
    d.place.column = int(offset - begin) + 1;
    constexpr std::size_t most_shown = 160;
    const std::size_t end = std::min(text.find_first_of("\r\n", begin), text.size());
    if (end - begin <= most_shown) {
        d.source_line = std::string(text.substr(begin, end - begin));
        const bool plain = std::all_of(d.source_line.begin(), d.source_line.end(), [](char c) {
            return (static_cast<unsigned char>(c) >= 32 && static_cast<unsigned char>(c) < 127) || c == '\t';
        });
        if (!plain) { d.source_line.clear(); }
    }
    return d;
}

/// An axis of the file as it is called once z is up.
std::string axis_in_ours(const std::string& axis, bool z_up) {
    if (!z_up || axis.empty()) { return axis; }
    const bool against = axis.front() == '-';
    switch (axis.back()) {
    case 'y':
        return against ? "z" : "-z";
    case 'z':
        return against ? "-y" : "y";
    default:
        return axis;
    }
}

/// Turns a body that stands or faces elsewhere, its clip with it. Its size is known by now.
void stand_up(ImportedFile& file, bool z_up, const BodyReading& how, FileProblems& problems) {
    const Stance stance = stance_of(file.rig, {1.0, axis_in_ours(how.up, z_up), axis_in_ours(how.faces, z_up)});
    if (!stance.turns) { return; }
    for (std::size_t j = 0; j < file.rig.joints.size(); ++j) {
        if (file.rig.joints[j].parent >= 0) { continue; }
        for (ClipSource& clip : file.clips) { turn_root(clip.tracks[j], stance.turn, 0); }
    }
    apply(stance, file.rig);
    problems.note("turned-body", stance.words + turned_advice);
}

} // namespace

ImportResult import_bvh(const std::filesystem::path& path, const BodyReading& how, const FileReader& files) {
    ImportResult result;
    FileProblems problems(path.string());
    if (how.scale && !(*how.scale >= 1e-6 && *how.scale <= 1e6)) {
        problems.error("wrong-range", fmt::format("a unit of BVH is 1e-06 to 1e+06 metres long; found {}", *how.scale));
        result.diagnostics = problems.take();
        return result;
    }
    const FileContents contents = read_file(path, files);
    if (contents.problem) {
        problems.error("unreadable-file", *contents.problem);
        result.diagnostics = problems.take();
        return result;
    }
    std::string_view text = contents.bytes;
    if (text.starts_with("\xEF\xBB\xBF")) { text.remove_prefix(3); }
    BvhFile file;
    try {
        file = BvhParser(text).parse();
    } catch (const BvhError& error) {
        result.diagnostics.push_back(located(path.string(), text, error));
        return result;
    }
    std::array<double, 3> lowest{};
    const auto size = extent(file, lowest);
    Axes axes;
    axes.z_up = how.up.empty() ? size[2] > size[1] * 1.1 : how.up == "z";
    const double height = axes.z_up ? size[2] : size[1];
    axes.scale = how.scale ? *how.scale : guessed_scale(height);
    if (!how.scale || how.up.empty()) {
        std::string guessed;
        if (!how.scale) {
            guessed = fmt::format("taken as {} metres a unit, which makes the body {:.2f} m tall", axes.scale,
                                  height * axes.scale);
        }
        if (how.up.empty()) {
            guessed += fmt::format("{}with {} up", guessed.empty() ? "taken " : ", ", axes.z_up ? 'z' : 'y');
        }
        problems.note("guessed-axes",
                      fmt::format("BVH says neither unit nor axes: {}; where that is wrong, say 'scale' "
                                  "and 'up' in a fit",
                                  guessed));
    }
    std::vector<std::string> renamed;
    result.file = to_import(file, axes, path.stem().string(), renamed);
    result.file->files = {path};
    for (const std::string& other : renamed) {
        problems.warn("doubled-joint", fmt::format("two joints have one name; the second is taken as '{}'", other));
    }
    // A root that rests at the origin leaves the legs under the ground: the file's frames lift it, its rest pose must
    // too.
    const double below = (axes.z_up ? lowest[2] : lowest[1]) * axes.scale;
    if (below < -0.05 * height * axes.scale) {
        for (Joint& joint : result.file->rig.joints) {
            if (joint.parent < 0) { joint.rest.translation.y -= float(below); }
        }
    }
    stand_up(*result.file, axes.z_up, how, problems);
    bind_to_rest(result.file->rig);
    if (const std::string home = bring_clips_home(*result.file, how); !home.empty()) {
        problems.note("turned-clips", home);
    }
    result.diagnostics = problems.take();
    if (file.surplus) {
        Diagnostic left_out = located(path.string(), text, *file.surplus);
        left_out.severity = Severity::warning;
        left_out.code = "surplus-motion";
        left_out.message = file.surplus->message;
        result.diagnostics.insert(result.diagnostics.begin(), std::move(left_out));
    }
    return result;
}

ImportResult import_file(const std::filesystem::path& path, const std::string& skin, const BodyReading& how,
                         const FileReader& files) {
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](char c) { return char(std::tolower(static_cast<unsigned char>(c))); });
    return ending == ".bvh" ? import_bvh(path, how, files) : import_gltf(path, skin, how, files);
}

} // namespace gait
