#include "compile/input_rates.hpp"

#include "math/rotations.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

namespace gait::detail {
namespace {

constexpr float lag = 0.1F;              ///< seconds
constexpr double unseen_jolt = 430;      ///< degrees a second between two frames at 60 Hz; 600 would show
constexpr double longest_crossing = 1.2; ///< seconds
constexpr int phases = 4;

class InputRates {
public:
    explicit InputRates(CompileContext& context) : context_(context), data_(*context.data) {}

    void run() {
        for (const Motion& motion : data_.motions.motions) {
            if (!motion.nothing) { look_at(motion, motion.root); }
        }
        for (const std::uint16_t p : context_.blend_parameters) {
            const ParameterDefinition& written = context_.document.parameters[p];
            ParameterInfo& info = data_.parameters[p];
            if (!written.smooth) { info.smooth = lag; }
            const auto found = steered_.find(p);
            if (written.smooth || written.at_most || info.kind != ParameterKind::number || found == steered_.end()) {
                continue;
            }
            const Steered& steered = found->second;
            if (!(steered.degrees_a_unit > 0)) { continue; }
            // Past a point one slope breaks off and the other begins.
            const double rate = unseen_jolt / (2 * steered.degrees_a_unit);
            info.at_most = float(std::max(rate, (steered.high - steered.low) / longest_crossing));
        }
    }

private:
    /// Of all spaces that a number steers.
    struct Steered {
        double degrees_a_unit = 0; ///< the steepest turn of a joint
        double low = 0, high = 0;  ///< the outermost points
    };

    void look_at(const Motion& motion, std::uint32_t index) {
        const MotionTable& table = data_.motions;
        const MotionPart& part = table.parts[index];
        const BlendPoint* points = table.points.data() + part.first;
        switch (part.kind) {
        case PartKind::leaf:
            return;
        case PartKind::mix:
        case PartKind::add:
            for (std::uint32_t e = 0; e < part.count; ++e) { look_at(motion, table.entries[part.first + e].part); }
            return;
        case PartKind::line:
            for (std::uint32_t p = 0; p + 1 < part.count; ++p) {
                note(part.parameter, points[p].at, points[p + 1].at, turn_between(motion, points[p], points[p + 1]));
            }
            break;
        case PartKind::plane:
            look_at_plane(motion, part);
            break;
        case PartKind::shared:
            break;
        }
        for (std::uint32_t p = 0; p < part.count; ++p) { look_at(motion, points[p].part); }
    }

    void look_at_plane(const Motion& motion, const MotionPart& part) {
        const BlendPlane& plane = data_.motions.planes[part.plane];
        const BlendPoint* points = data_.motions.points.data() + part.first;
        std::set<std::pair<std::uint16_t, std::uint16_t>> looked_at; // a side of two cells counts once
        for (const Cell& cell : plane.cells()) {
            for (std::size_t i = 0; i < cell.size(); ++i) {
                const auto [a, b] = std::minmax(cell[i], cell[(i + 1) % cell.size()]);
                if (!looked_at.insert({a, b}).second) { continue; }
                const PlanePoint from = plane.sites()[a], to = plane.sites()[b];
                const double degrees = turn_between(motion, points[a], points[b]);
                if (part.cursor != no_index) {
                    const std::uint16_t number = data_.cursors[part.cursor].number;
                    note(number, 0, std::hypot(to.x - from.x, to.y - from.y), degrees);
                    const double faster = std::max(std::hypot(from.x, from.y), std::hypot(to.x, to.y));
                    steered_[number].high = std::max(steered_[number].high, faster);
                } else if (std::fabs(to.x - from.x) >= std::fabs(to.y - from.y)) {
                    note(part.parameter, from.x / part.scale_x, to.x / part.scale_x, degrees);
                } else {
                    note(part.second, from.y / part.scale_y, to.y / part.scale_y, degrees);
                }
            }
        }
    }

    void note(std::uint16_t parameter, double from, double to, double degrees) {
        const double apart = std::fabs(to - from);
        if (!(apart > 0)) { return; }
        const auto [found, is_new] = steered_.try_emplace(parameter, Steered{0, from, from});
        Steered& steered = found->second;
        steered.degrees_a_unit = std::max(steered.degrees_a_unit, degrees / apart);
        steered.low = std::min({steered.low, from, to});
        steered.high = std::max({steered.high, from, to});
    }

    /// The clip of a part that counts first.
    [[nodiscard]] const Leaf& first_leaf(const Motion& motion, std::uint32_t index) const {
        const MotionTable& table = data_.motions;
        const MotionPart* part = &table.parts[index];
        while (part->kind != PartKind::leaf) {
            const bool entries = part->kind == PartKind::mix || part->kind == PartKind::add;
            part = &table.parts[entries ? table.entries[part->first].part : table.points[part->first].part];
        }
        return table.leaves_of(motion)[part->leaf];
    }

    /// The greatest turn of a joint in body space from one point's motion to another's, degrees, in the mean of their
    /// phases.
    double turn_between(const Motion& motion, const BlendPoint& from, const BlendPoint& to) {
        const Leaf &a = first_leaf(motion, from.part), &b = first_leaf(motion, to.part);
        if (a.clip == b.clip || a.additive != no_index) { return 0; }
        const auto &of_a = turns(a.clip), &of_b = turns(b.clip);
        double greatest = 0;
        for (std::size_t j = 0; j < of_a.front().size(); ++j) {
            double mean = 0;
            for (std::size_t p = 0; p < phases; ++p) { mean += degrees_between(of_a[p][j], of_b[p][j]) / phases; }
            greatest = std::max(greatest, mean);
        }
        return greatest;
    }

    const std::vector<std::vector<Quat>>& turns(std::uint16_t clip) {
        const auto [found, is_new] = turns_.try_emplace(clip);
        if (!is_new) { return found->second; }
        const PosedClip& poses = context_.prepared[clip].poses;
        for (int p = 0; p < phases; ++p) {
            std::vector<Quat>& own = found->second.emplace_back();
            for (const Transform& joint :
                 model_space(*context_.assets.rig, poses.pose_at(poses.seconds() * p / phases))) {
                own.push_back(joint.rotation);
            }
        }
        return found->second;
    }

    CompileContext& context_;
    CharacterData& data_;
    std::map<std::uint16_t, Steered> steered_;
    std::map<std::uint16_t, std::vector<std::vector<Quat>>> turns_;
};

} // namespace

void bound_input_rates(CompileContext& context) { InputRates(context).run(); }

} // namespace gait::detail
