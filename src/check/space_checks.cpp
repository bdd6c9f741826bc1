#include "check/space_checks.hpp"

#include "character/character_data.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace gait::detail {
namespace {

constexpr double standing = 0.05;  ///< metres a second
constexpr double far_beyond = 1.5; ///< times as far out as the outermost motion goes

class SpaceChecks {
public:
    SpaceChecks(const CharacterData& data, const std::function<bool(const std::string&)>& walks, DiagnosticSink& sink)
        : data_(data), walks_(walks), sink_(sink) {}

    void run() {
        for (const auto& [index, place] : data_.notes.blend_places) {
            const MotionPart& part = data_.motions.parts[index];
            place_ = place;
            if (part.kind == PartKind::line) { check_line(part); }
            if (part.kind == PartKind::plane) { check_plane(part); }
        }
        for (const Motion& motion : data_.motions.motions) { check_step(motion); }
    }

private:
    void warn(const char* code, const std::string& message) {
        // A space written once and played in several states is one.
        if (said_.insert({place_.line, place_.column, place_.file, message}).second) {
            sink_.warn(place_, code, message);
        }
    }

    void check_shared(const MotionPart& part) {
        for (std::uint32_t p = 0; p < part.count; ++p) {
            const MotionPart& inner = data_.motions.parts[data_.motions.points[part.first + p].part];
            if (inner.kind != PartKind::shared) { continue; }
            warn("doubled-point", fmt::format("{} points stand at one place and share its weight; move all but one, or "
                                              "remove them",
                                              inner.count));
            return;
        }
    }

    [[nodiscard]] double pace_of(const MotionPart& part) const {
        return part.pace_group == 0 ? 1.0 : data_.motions.pace_groups[part.pace_group - 1U].fastest;
    }

    void check_line(const MotionPart& part) {
        check_shared(part);
        const ParameterInfo& info = data_.parameters[part.parameter];
        const BlendPoint* points = data_.motions.points.data() + part.first;
        if (part.count == 1) {
            warn("few-points",
                 fmt::format("this blend space has one place on '{}', so it blends nothing; add a point, or "
                             "play what stands there by itself",
                             info.name));
            return;
        }
        if (part.wraps) { return; }
        const double reach = std::max(std::fabs(points[0].at), std::fabs(points[part.count - 1].at)) * pace_of(part);
        check_range(info, reach);
    }

    void check_range(const ParameterInfo& info, double reach) {
        const double wanted = std::max(std::fabs(double(info.low)), std::fabs(double(info.high)));
        if (!std::isfinite(wanted) || info.kind != ParameterKind::number || reach <= 0 ||
            wanted <= far_beyond * reach) {
            return;
        }
        warn("beyond-points",
             fmt::format("'{}' ranges to {:g}, and the motions here go no further than {:.3g}: beyond, "
                         "feet slide or nothing changes; lower its range, or add a point",
                         info.name, wanted, reach));
    }

    void check_plane(const MotionPart& part) {
        check_shared(part);
        const BlendPlane& plane = data_.motions.planes[part.plane];
        const ParameterInfo &first = data_.parameters[part.parameter], &second = data_.parameters[part.second];
        if (plane.sites().size() < 3) {
            warn("few-points", fmt::format("{} on '{}' and '{}' leave{} most of the plane alone; add points, or blend "
                                           "along one of them",
                                           plane.sites().size() == 1 ? "one place" : "two places", first.name,
                                           second.name, plane.sites().size() == 1 ? "s" : ""));
        } else if (plane.cells().empty()) {
            warn("few-points", fmt::format("all points on '{}' and '{}' lie in a line, so that only the way along it "
                                           "counts; add a point aside of it, or blend along one of them",
                                           first.name, second.name));
        }
        if (part.cursor == no_index) { return; }
        double reach = 0;
        bool stands = false;
        for (const PlanePoint& site : plane.sites()) {
            reach = std::max(reach, std::hypot(site.x, site.y));
            stands = stands || std::hypot(site.x, site.y) < standing;
        }
        if (!stands && plane.contains({0, 0})) {
            warn("no-standstill", "standing still lies between these points and no clip stands there, so that opposite "
                                  "steps are mixed; add a clip that stands, with at: [0, 0]");
        }
        check_range(first.kind == ParameterKind::number ? first : second, reach * pace_of(part));
        check_cut(part);
    }

    /// Halfway between a clip and the next faster one that goes the same way those two should play.
    void check_cut(const MotionPart& part) {
        constexpr double least_share = 0.7;
        const BlendPlane& plane = data_.motions.planes[part.plane];
        const auto& sites = plane.sites();
        for (std::size_t a = 0; a < sites.size(); ++a) {
            const auto next = next_faster(sites, a);
            if (!next) { continue; }
            SiteShares shares;
            plane.weigh({(sites[a].x + sites[*next].x) / 2, (sites[a].y + sites[*next].y) / 2}, shares);
            double both = 0;
            for (std::size_t i = 0; i < shares.count; ++i) {
                if (shares.site[i] == a || shares.site[i] == *next) { both += shares.share[i]; }
            }
            if (both >= least_share) { continue; }
            const auto place = [&](std::size_t site) {
                return fmt::format("{:.0f} deg at {:.2g} m/s",
                                   std::atan2(sites[site].x, sites[site].y) * degrees_per_radian,
                                   std::hypot(sites[site].x, sites[site].y));
            };
            warn(
                "badly-cut",
                fmt::format("halfway between the points toward {} and toward {}, which go the same way, others play to "
                            "{:.0f} %; leave 'cells' out, or move or add a point",
                            place(a), place(*next), 100 * (1 - both)));
            return;
        }
    }

    /// Clips that walk and are blended keep step.
    void check_step(const Motion& motion) {
        std::vector<std::string> loose;
        for (const Leaf& leaf : data_.motions.leaves_of(motion)) {
            const std::string& name = data_.clips[leaf.clip].name;
            if (!leaf.loops || leaf.synced || leaf.additive != no_index || !leaf.leads) { continue; }
            if (walks_(name.substr(0, name.find(',')))) { loose.push_back(name); }
        }
        if (loose.size() < 2) { return; }
        const auto blend =
            std::find_if(data_.notes.blend_places.begin(), data_.notes.blend_places.end(),
                         [&](const auto& entry) { return entry.first <= motion.root && blends(entry.first, motion); });
        if (blend == data_.notes.blend_places.end()) { return; }
        place_ = blend->second;
        warn("out-of-step",
             fmt::format("'{}' and '{}' walk and do not keep step, so that their feet cross as they blend; "
                         "write 'sync: footfall', or mark their steps with 'left_down' and 'right_down'",
                         loose[0], loose[1]));
    }

    [[nodiscard]] bool blends(std::uint32_t index, const Motion& motion) const { return reaches(motion.root, index); }

    /// Whether the part `from` holds the part `wanted`.
    [[nodiscard]] bool reaches(std::uint32_t from, std::uint32_t wanted) const {
        if (from == wanted) { return true; }
        const MotionPart& part = data_.motions.parts[from];
        for (std::uint32_t i = 0; i < part.count; ++i) {
            const bool entries = part.kind == PartKind::mix || part.kind == PartKind::add;
            const std::uint32_t inner =
                entries ? data_.motions.entries[part.first + i].part : data_.motions.points[part.first + i].part;
            if (reaches(inner, wanted)) { return true; }
        }
        return false;
    }

    const CharacterData& data_;
    const std::function<bool(const std::string&)>& walks_;
    DiagnosticSink& sink_;
    Place place_;
    std::set<std::tuple<int, int, int, std::string>> said_;
};

} // namespace

void check_spaces(const Character& character, const std::function<bool(const std::string& clip)>& walks,
                  DiagnosticSink& sink) {
    SpaceChecks(character.data(), walks, sink).run();
}

} // namespace gait::detail
