#include "whole_textbook.hpp"

#include <cmath>

namespace bench {
namespace {

using gait::detail::PlanePoint;

/// Whether `d` lies inside the circle through a, b and c, which run counterclockwise.
bool in_circle(PlanePoint a, PlanePoint b, PlanePoint c, PlanePoint d) {
    const auto row = [&](PlanePoint p) {
        const double x = p.x - d.x, y = p.y - d.y;
        return std::array{x, y, x * x + y * y};
    };
    const auto [ax, ay, as] = row(a);
    const auto [bx, by, bs] = row(b);
    const auto [cx, cy, cs] = row(c);
    return ax * (by * cs - bs * cy) - ay * (bx * cs - bs * cx) + as * (bx * cy - by * cx) > 0;
}

/// Delaunay's, by trying every three.
std::vector<std::array<std::size_t, 3>> triangles_of(const std::vector<PlanePoint>& sites) {
    std::vector<std::array<std::size_t, 3>> triangles;
    for (std::size_t a = 0; a < sites.size(); ++a) {
        for (std::size_t b = a + 1; b < sites.size(); ++b) {
            for (std::size_t c = b + 1; c < sites.size(); ++c) {
                std::array corners{a, b, c};
                if (doubled_area(sites[a], sites[b], sites[c]) < 0) { std::swap(corners[1], corners[2]); }
                bool empty = true;
                for (const PlanePoint& other : sites) {
                    empty = empty && !in_circle(sites[corners[0]], sites[corners[1]], sites[corners[2]], other);
                }
                if (empty) { triangles.push_back(corners); }
            }
        }
    }
    return triangles;
}

/// `below` with `above` over it, joint by joint.
TextbookPose laid_over(const TextbookPose& below, const TextbookPose& above, const gait::KeptList<float>& mask,
                       float weight) {
    TextbookPose pose = below;
    for (std::size_t j = 0; j < pose.rotations.size(); ++j) {
        const float own = mask[j] * weight;
        if (!(own > 0)) { continue; }
        pose.rotations[j] = below.rotations[j].slerp(own, above.rotations[j]);
        pose.translations[j] += (above.translations[j] - below.translations[j]) * own;
    }
    return pose;
}

} // namespace

WholeTextbook::WholeTextbook(const Material& material, const gait::Character& character)
    : rest_(rest_of(*material.assets.rig)), arms_mask_(character.layers()[1].mask_weights),
      wave_mask_(character.layers()[2].mask_weights) {
    for (const gait::ClipSource& source : material.clips) { clips_.push_back(textbook_clip(source)); }
    for (int p = 0; p < Whole::points; ++p) { sites_.push_back(site_of(p, Whole::points)); }
    triangles_ = triangles_of(sites_);
    lean_reference_ = sample(clips_[Whole::lean_clip], rest_, 0);
}

void WholeTextbook::weigh(Playing& playing, const WholeInputs& inputs) const {
    playing.lean = inputs.lean;
    const PlanePoint at{double(inputs.x), double(inputs.y)};
    for (const auto& corners : triangles_) {
        const PlanePoint a = sites_[corners[0]], b = sites_[corners[1]], c = sites_[corners[2]];
        const double all = doubled_area(a, b, c);
        const double first = doubled_area(at, b, c) / all, second = doubled_area(a, at, c) / all;
        if (first < 0 || second < 0 || first + second > 1) { continue; }
        playing.points = corners;
        playing.shares = {float(first), float(second), float(1 - first - second)};
        return;
    }
}

TextbookPose WholeTextbook::pose_of(const Playing& playing) const {
    if (!playing.going) { return clip(Whole::other_clip); }
    const auto point = [&](std::size_t corner) { return clip(playing.points[corner] % clips_.size()); };
    const auto& shares = playing.shares;
    return blend(blend(point(0), point(1), shares[1] / (shares[0] + shares[1])), point(2), shares[2]);
}

TextbookPose WholeTextbook::advance(double seconds, const WholeInputs& inputs) {
    if (active_.going) { weigh(active_, inputs); }
    time_ += seconds;
    elapsed_ += seconds;
    phase_ += seconds;
    while (phase_ >= double(clips_[0].seconds)) { phase_ -= double(clips_[0].seconds); }
    if (elapsed_ >= Whole::turn_seconds - 1e-9) {
        below_ = active_;
        active_.going = !active_.going;
        if (active_.going) { weigh(active_, inputs); }
        elapsed_ = 0;
        fading_ = true;
    }
    const auto share = fading_ ? float(gait::eased(gait::Ease::smooth, elapsed_ / Whole::turn_seconds)) : 1.0F;
    TextbookPose pose = pose_of(active_);
    if (fading_) { pose = blend(pose_of(below_), pose, share); }
    const float lean = active_.going ? share * active_.lean : (1 - share) * below_.lean;
    if (lean > 0) {
        const TextbookPose leaning = clip(Whole::lean_clip);
        for (std::size_t j = 0; j < pose.rotations.size(); ++j) {
            const Eigen::Quaternionf turn = leaning.rotations[j] * lean_reference_.rotations[j].conjugate();
            pose.rotations[j] = Eigen::Quaternionf::Identity().slerp(lean, turn) * pose.rotations[j];
            pose.translations[j] += (leaning.translations[j] - lean_reference_.translations[j]) * lean;
        }
    }
    pose = laid_over(pose, clip(Whole::arms_clip), arms_mask_, 1);
    const auto waves = float(gait::eased(gait::Ease::smooth, time_ / 0.15));
    return laid_over(pose, clip(Whole::wave_clip), wave_mask_, waves);
}

} // namespace bench
