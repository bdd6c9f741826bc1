#include "gait/footprints.hpp"

#include "rig/foot_points.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <optional>

namespace gait {
using namespace detail;
namespace {

constexpr float near_ground = 0.01F;    ///< metres
constexpr double slow = 0.15;           ///< metres a second, up or down
constexpr double edge = 0.03;           ///< seconds at both ends that belong to the swing, and at least
constexpr double edge_frames = 1.5;     ///< so many frames
constexpr double shortest_print = 0.08; ///< seconds

} // namespace

struct Footprints::Watched {
    /// A frame in which a foot was down.
    struct Down {
        double time = 0;
        std::size_t point = 0; ///< heel or ball bears it
        std::array<Vec3, 2> points;
    };

    explicit Watched(const Rig& rig) : points(rig) {
        for (const Foot& foot : points.feet()) { names.push_back(foot.side == Side::left ? "left" : "right"); }
        stretches.resize(names.size());
        before.resize(names.size());
    }

    /// A stretch of frames in which a foot is down, as far as it has come. What is measured of it takes the same room
    /// however long it is: only the last frames wait, since they may yet belong to the swing.
    class Stretch {
    public:
        void add(const Down& down) {
            if (count_ == 0) { from_ = down.time; }
            to_ = down.time;
            ++count_;
            waiting_.push_back(down);
            while (!waiting_.empty() && waiting_.front().time <= to_ - swing()) {
                measure(waiting_.front());
                waiting_.pop_front();
            }
        }

        /// What it comes to; nothing when it is too short.
        [[nodiscard]] std::optional<Footprint> print_of(std::size_t foot) const {
            if (count_ == 0 || to_ - from_ < shortest_print) { return std::nullopt; }
            Footprint print = print_;
            print.foot = foot;
            print.from = from_;
            print.to = to_;
            return print;
        }

    private:
        /// Seconds at both ends.
        [[nodiscard]] double swing() const {
            const double frame = count_ > 1 ? (to_ - from_) / double(count_ - 1) : 0;
            return std::max(edge, edge_frames * frame);
        }
        void measure(const Down& down) {
            if (down.time < from_ + swing()) { return; }
            if (!start_) { print_.place = down.points[down.point]; }
            if (!start_ || start_->point != down.point) { start_ = down; }
            const Vec3 moved = down.points[down.point] - start_->points[down.point];
            print_.slide = std::max(print_.slide, length_of(double(moved.x), double(moved.z)));
        }

        double from_ = 0, to_ = 0;
        std::size_t count_ = 0;
        std::deque<Down> waiting_;
        std::optional<Down> start_; ///< since when the same part of the foot bears it
        Footprint print_;
    };

    FootPoints points;
    std::vector<std::string> names;
    std::vector<Stretch> stretches;          ///< a foot each, while it is down
    std::vector<std::optional<Down>> before; ///< a frame ago
    std::vector<Footprint> over;
};

Footprints::Footprints(const Rig& rig) : watched_(std::make_unique<Watched>(rig)) {}
Footprints::~Footprints() = default;
Footprints::Footprints(Footprints&& other) noexcept = default;

void Footprints::add(double time, std::span<const Transform> model_pose, const GroundPlace& place) {
    const std::vector<Transform> model(model_pose.begin(), model_pose.end());
    const Transform body = place.transform();
    for (std::size_t f = 0; f < watched_->names.size(); ++f) {
        Watched::Down now;
        now.time = time;
        now.points = watched_->points.at(f, model);
        now.point = now.points[0].y <= now.points[1].y ? 0 : 1;
        const float height = now.points[now.point].y;
        for (Vec3& point : now.points) { point = body.translation + rotate(body.rotation, point); }
        // In the world: a body that leaves the ground takes along what its clip still has standing.
        const auto& before = watched_->before[f];
        const double rising =
            before && time > before->time
                ? double(now.points[now.point].y - before->points[now.point].y) / (time - before->time)
                : 0;
        Watched::Stretch& stretch = watched_->stretches[f];
        if (height < near_ground && std::fabs(rising) < slow) {
            stretch.add(now);
        } else {
            if (const auto print = stretch.print_of(f)) { watched_->over.push_back(*print); }
            stretch = {};
        }
        watched_->before[f] = now;
    }
}

const std::vector<std::string>& Footprints::feet() const { return watched_->names; }

std::vector<Footprint> Footprints::all() const {
    std::vector<Footprint> prints = watched_->over;
    for (std::size_t f = 0; f < watched_->stretches.size(); ++f) {
        if (const auto print = watched_->stretches[f].print_of(f)) { prints.push_back(*print); }
    }
    std::stable_sort(prints.begin(), prints.end(), [](const auto& a, const auto& b) { return a.from < b.from; });
    return prints;
}

double Footprints::worst_slide() const {
    double worst = 0;
    for (const Footprint& print : all()) { worst = std::max(worst, print.slide); }
    return worst;
}

} // namespace gait
