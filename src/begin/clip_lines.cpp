#include "begin/clip_lines.hpp"

#include "files/document_text.hpp"
#include "rig/foot_points.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

class ClipLines {
public:
    ClipLines(const Cast& cast, const Rig& rig, const BodyPlan& plan)
        : cast_(cast), rig_(rig), plan_(plan), points_(rig) {}

    /// Every clip in its line, by what it was taken for, with why beside it.
    [[nodiscard]] std::string text() const {
        struct Chapter {
            const char* title;
            std::vector<ClipRole> roles;
        };
        const std::vector<Chapter> chapters = {
            {"stands", {ClipRole::stand}},
            {"goes; where each stands in the space is measured", {ClipRole::gait}},
            {"goes and stands with bent legs", {ClipRole::low_stand, ClipRole::low_gait}},
            {"sets off, stops, turns on the spot", {ClipRole::start, ClipRole::stop, ClipRole::turn}},
            {"leaves the ground and comes down again",
             {ClipRole::take_off, ClipRole::leap, ClipRole::air, ClipRole::landing, ClipRole::jump}},
            {"what is done while standing", {ClipRole::fidget, ClipRole::gesture, ClipRole::act}},
            {"what the arms hold", {ClipRole::raise, ClipRole::hold, ClipRole::lower}},
            {"poses", {ClipRole::pose}},
        };
        std::string out = "\nclips:";
        std::vector<const Placed*> idle;
        std::size_t width = 0;
        for (const Placed& clip : cast_.clips) {
            const std::size_t own = line_start(clip).size();
            if (own <= 84) { width = std::max(width, own); }
        }
        for (const Chapter& chapter : chapters) {
            std::vector<const Placed*> played;
            for (const ClipRole role : chapter.roles) {
                for (const Placed* clip : cast_.all(role)) { (clip->state.empty() ? idle : played).push_back(clip); }
            }
            if (played.empty()) { continue; }
            out += std::string("\n  # ") + chapter.title + "\n";
            for (const Placed* clip : played) { out += clip_line(*clip, width); }
        }
        for (const ClipRole role : {ClipRole::same_gait, ClipRole::not_placed}) {
            for (const Placed* clip : cast_.all(role)) { idle.push_back(clip); }
        }
        if (!idle.empty()) {
            out += "\n  # declared, and played nowhere yet\n";
            for (const Placed* clip : idle) { out += clip_line(*clip, width); }
        }
        return out;
    }

private:
    [[nodiscard]] static bool loops(const Placed& clip) {
        switch (clip.role) {
        case ClipRole::stand:
        case ClipRole::gait:
        case ClipRole::same_gait:
        case ClipRole::low_stand:
        case ClipRole::low_gait:
        case ClipRole::hold:
            return true;
        case ClipRole::air: // what ends far from where it begins is played once and held
            return clip.seen.measure.loops || clip.seen.measure.gap.degrees < 30;
        case ClipRole::turn:
            return !clip.seen.measure.travels;
        default:
            return false;
        }
    }

    [[nodiscard]] std::string clip_settings(const Placed& clip) const {
        std::vector<std::string> settings;
        const BeginningClip& given = *clip.seen.clip;
        if (!given.file.empty()) { settings.push_back("file: " + document_text(given.file)); }
        if (clip.seen.name != given.name) { settings.push_back("animation: " + document_text(given.name)); }
        if (!given.fit.empty()) { settings.push_back("fit: " + document_text(given.fit)); }
        if (given.cut) {
            settings.push_back(fmt::format("cut: [{:.3f}, {:.3f}]", given.cut->first, given.cut->second));
        }
        if (loops(clip)) { settings.emplace_back("loop: yes"); }
        const ClipMeasure& m = clip.seen.measure;
        const bool goes = clip.role != ClipRole::stand && clip.role != ClipRole::hold &&
                          clip.role != ClipRole::fidget && clip.role != ClipRole::gesture &&
                          clip.role != ClipRole::low_stand && clip.role != ClipRole::air;
        const bool elsewhere = given.cut && !given.found_as.empty(); // in a recording, far from the origin
        if (((m.travels && goes) || elsewhere) && !points_.feet().empty() && plan_.hips >= 0) {
            const std::string hips = document_text(rig_.joints[std::size_t(plan_.hips)].name);
            settings.push_back(goes ? "travel: " + hips : "travel: {joint: " + hips + ", in_place: yes}");
        }
        const std::string marks = marks_of(clip);
        if (!marks.empty()) { settings.push_back("marks: {" + marks + "}"); }
        std::string text = "{";
        for (const std::string& setting : settings) { text += (text.size() == 1 ? "" : ", ") + setting; }
        return text + "}";
    }

    [[nodiscard]] static std::string marks_of(const Placed& clip) {
        std::string marks;
        const auto add = [&](const std::string& name, const std::vector<double>& at) {
            std::string list;
            for (const double instant : at) { list += (list.empty() ? "" : ", ") + fmt::format("{:.3f}", instant); }
            marks += (marks.empty() ? "" : ", ") + name + ": " + (at.size() == 1 ? list : "[" + list + "]");
        };
        const auto& feet = clip.seen.measure.feet;
        for (const FootMeasure& foot : feet) {
            const std::vector<double> at = footfalls(clip, foot.side);
            if (!at.empty()) { add(foot.side + "_down", at); }
        }
        if (clip.role == ClipRole::take_off || clip.role == ClipRole::leap) {
            double off = 0;
            for (const FootMeasure& foot : feet) {
                for (const Contact& contact : foot.contacts) { off = std::max(off, contact.lift_off); }
            }
            if (off > 0.02 && off < clip.seen.seconds - 0.01) { add("feet_off", {off}); }
        }
        return marks;
    }

    [[nodiscard]] std::string line_start(const Placed& clip) const {
        return "  " + clip.seen.name + ": " + clip_settings(clip);
    }
    [[nodiscard]] std::string clip_line(const Placed& clip, std::size_t width) const {
        std::string why = clip.reason;
        if (clip.twin != nullptr) { why += "; the mirror image of " + clip.twin->seen.name; }
        if (!clip.unsure.empty()) { why += " (unsure: " + clip.unsure + ")"; }
        return fmt::format("{:<{}}  # {}\n", line_start(clip), width, why);
    }

    const Cast& cast_;
    const Rig& rig_;
    const BodyPlan& plan_;
    FootPoints points_;
};

} // namespace

std::vector<double> footfalls(const Placed& clip, const std::string& side) {
    const bool gait = clip.role == ClipRole::gait || clip.role == ClipRole::low_gait;
    if (!gait || !clip.unsure.empty() || side.empty()) { return {}; } // measured anew, and may yet be mended
    for (const FootMeasure& foot : clip.seen.measure.feet) {
        if (foot.side != side || !(foot.down < 0.99)) { continue; }
        std::vector<double> at;
        for (const Contact& contact : foot.contacts) { at.push_back(contact.strike); }
        std::sort(at.begin(), at.end());
        return at;
    }
    return {};
}

std::string clip_lines(const Cast& cast, const Rig& rig, const BodyPlan& plan) {
    return ClipLines(cast, rig, plan).text();
}

} // namespace gait::detail
