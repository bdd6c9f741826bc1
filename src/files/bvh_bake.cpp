#include "files/file_problems.hpp"
#include "files/write_file.hpp"
#include "gait/bvh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace gait {
using namespace detail;
namespace {

/// Degrees about Z, X and Y, applied in that order of channels: the turn is Z * X * Y.
std::array<double, 3> euler_zxy(Quat q) {
    const double x = q.x, y = q.y, z = q.z, w = q.w;
    const double sine = std::clamp(2 * (y * z + w * x), -1.0, 1.0);
    if (std::abs(sine) > 0.9999999) { // looking straight along: one of the two others is free
        const double both = std::atan2(2 * (x * y + w * z), 1 - 2 * (y * y + z * z));
        return {both * degrees_per_radian, std::asin(sine) * degrees_per_radian, 0};
    }
    return {std::atan2(2 * (w * z - x * y), 1 - 2 * (x * x + z * z)) * degrees_per_radian,
            std::asin(sine) * degrees_per_radian,
            std::atan2(2 * (w * y - x * z), 1 - 2 * (x * x + y * y)) * degrees_per_radian};
}

class BvhWriter {
public:
    BvhWriter(const Rig& rig, const BakedMotion& motion)
        : rig_(rig), motion_(motion), rest_(model_space(rig, rest_pose(rig))), moves_(rig.joints.size(), false) {
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            moves_[j] = rig.joints[j].parent < 0;
            for (const auto& frame : motion.frames) {
                constexpr float negligible = 1e-6F;
                moves_[j] = moves_[j] || length(frame[j].translation - rig.joints[j].rest.translation) > negligible;
            }
        }
    }

    std::string text() {
        out_ = "HIERARCHY\n";
        for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
            if (rig_.joints[j].parent < 0) { joint(j, 0); }
        }
        fmt::format_to(std::back_inserter(out_), "MOTION\nFrames: {}\nFrame Time: {:.9f}\n", motion_.frames.size(),
                       1 / motion_.frames_per_second);
        for (const auto& pose : motion_.frames) { frame(pose); }
        return std::move(out_);
    }

private:
    void joint(std::size_t index, int depth) {
        const std::string indent(std::size_t(depth), '\t');
        const int parent = rig_.joints[index].parent;
        const Vec3 offset = rest_[index].translation - (parent < 0 ? Vec3{} : rest_[std::size_t(parent)].translation);
        fmt::format_to(std::back_inserter(out_),
                       "{0}{1} {2}\n{0}{{\n{0}\tOFFSET {3:.7f} {4:.7f} {5:.7f}\n{0}\tCHANNELS {6}", indent,
                       parent < 0 ? "ROOT" : "JOINT", rig_.joints[index].name, offset.x, offset.y, offset.z,
                       moves_[index] ? "6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n"
                                     : "3 Zrotation Xrotation Yrotation\n");
        order_.push_back(index);
        bool any = false;
        for (std::size_t child = 0; child < rig_.joints.size(); ++child) {
            if (rig_.joints[child].parent != int(index)) { continue; }
            joint(child, depth + 1);
            any = true;
        }
        if (!any) {
            // BVH wants a leaf to end somewhere: go on a little along the bone.
            const float size = length(offset);
            const Vec3 end = size > 0 ? offset * (0.25F) : Vec3{0, 0.05F, 0};
            fmt::format_to(std::back_inserter(out_),
                           "{0}\tEnd Site\n{0}\t{{\n{0}\t\tOFFSET {1:.7f} {2:.7f} {3:.7f}\n{0}\t}}\n", indent, end.x,
                           end.y, end.z);
        }
        out_ += indent + "}\n";
    }

    void frame(const std::vector<Transform>& pose) {
        const auto model = model_space(rig_, pose);
        const auto turned = [&](std::size_t j) { return model[j].rotation * conjugate(rest_[j].rotation); };
        bool first = true;
        for (const std::size_t j : order_) {
            const int parent = rig_.joints[j].parent;
            const Quat above = parent < 0 ? Quat{} : turned(std::size_t(parent));
            if (moves_[j]) {
                const Vec3 from = parent < 0 ? Vec3{} : model[std::size_t(parent)].translation;
                const Vec3 place = rotate(conjugate(above), model[j].translation - from);
                fmt::format_to(std::back_inserter(out_), "{}{:.7f} {:.7f} {:.7f}", first ? "" : " ", place.x, place.y,
                               place.z);
                first = false;
            }
            const auto [z, x, y] = euler_zxy(normalized(conjugate(above) * turned(j)));
            fmt::format_to(std::back_inserter(out_), "{}{:.6f} {:.6f} {:.6f}", first ? "" : " ", z, x, y);
            first = false;
        }
        out_ += '\n';
    }

    const Rig& rig_;
    const BakedMotion& motion_;
    std::vector<Transform> rest_; ///< model space
    std::vector<bool> moves_;     ///< joints with position channels
    std::vector<std::size_t> order_;
    std::string out_;
};

} // namespace

Diagnostics bake_bvh(const Rig& rig, const BakedMotion& motion, const std::filesystem::path& out) {
    FileProblems problems(out.string());
    for (const auto& frame : motion.frames) {
        if (frame.size() != rig.joints.size()) {
            problems.error("other-rig",
                           fmt::format("the motion has {} joints and the rig {}", frame.size(), rig.joints.size()));
            return problems.take();
        }
    }
    if (const auto problem = write_file(out, BvhWriter(rig, motion).text())) {
        problems.error("unwritable-file", *problem);
    }
    return problems.take();
}

} // namespace gait
