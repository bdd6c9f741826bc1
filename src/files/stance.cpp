#include "files/stance.hpp"

#include "rig/body_parts.hpp"

#include <Eigen/Geometry>
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace gait::detail {
namespace {

struct Axis {
    std::size_t which = 0; ///< x, y, z
    float sign = 1;
    [[nodiscard]] Vec3 vector() const { return {which == 0 ? sign : 0, which == 1 ? sign : 0, which == 2 ? sign : 0}; }
    [[nodiscard]] std::string name() const {
        return std::string(sign < 0 ? "-" : "+") + std::array{"X", "Y", "Z"}[which];
    }
};

/// The axis that a direction lies along, if it clearly lies along one.
std::optional<Axis> along(Vec3 v) {
    constexpr float clearly = 0.85F; // of its length: within thirty degrees
    const float all = length(v);
    const std::array<float, 3> parts{v.x, v.y, v.z};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        if (all > 1e-6F && std::fabs(parts[axis]) > clearly * all) {
            return Axis{axis, parts[axis] < 0 ? -1.0F : 1.0F};
        }
    }
    return std::nullopt;
}

std::optional<Axis> axis_named(const std::string& name) {
    if (name.empty()) { return std::nullopt; }
    const char letter = name.back();
    if (letter < 'x' || letter > 'z') { return std::nullopt; }
    return Axis{std::size_t(letter - 'x'), name.front() == '-' ? -1.0F : 1.0F};
}

/// The turn that brings `up` to +Y and `ahead` to +Z.
Quat turn_of(Vec3 up, Vec3 ahead) {
    const Vec3 left = cross(up, ahead);
    // The rows are where x, y and z come from.
    Eigen::Matrix3d matrix;
    matrix << double(left.x), double(left.y), double(left.z), double(up.x), double(up.y), double(up.z), double(ahead.x),
        double(ahead.y), double(ahead.z);
    const Eigen::Quaterniond q(matrix);
    return {float(q.x()), float(q.y()), float(q.z()), float(q.w())};
}

/// Which way a body faces that stands on `up`, when nothing tells: as it is laid on its back from there.
Axis usually_ahead(const Axis& up) { return up.which == 2 ? Axis{1, -up.sign} : Axis{2, 1}; }

/// Which way the feet point, seen along `up`: from the ankles to what is farthest out below them.
Vec3 toward_toes(const Rig& rig, const std::vector<Transform>& model, const std::vector<Foot>& feet, Vec3 up) {
    Vec3 sum{};
    for (const Foot& foot : feet) {
        Vec3 farthest{};
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            if (rig.joints[j].parent != foot.ankle) { continue; }
            const Vec3 off = model[j].translation - model[std::size_t(foot.ankle)].translation;
            const Vec3 level = off - up * dot(off, up);
            if (length(level) > length(farthest)) { farthest = level; }
        }
        sum = sum + farthest;
    }
    return sum;
}

/// Of each joint the child with the longest way below it, by length; the number of joints where there is none.
std::vector<std::size_t> longest_ways(const Rig& rig, const std::vector<Transform>& model) {
    std::vector<float> reach(rig.joints.size(), 0); // to the end of the longest way below
    std::vector<std::size_t> next(rig.joints.size(), rig.joints.size());
    for (std::size_t j = rig.joints.size(); j-- > 0;) {
        if (rig.joints[j].parent < 0) { continue; }
        const auto parent = std::size_t(rig.joints[j].parent);
        const float way = reach[j] + length(model[j].translation - model[parent].translation);
        if (way > reach[parent]) {
            reach[parent] = way;
            next[parent] = j;
        }
    }
    return next;
}

/// How a body stands that no name tells of.
struct Shape {
    std::optional<Axis> up, ahead;
};

/// By its legs: of the ways down from where it branches, the two longest that mirror each other, against which the
/// trunk goes the other way; and by where their ends point.
Shape shape_of(const Rig& rig, const std::vector<Transform>& model) {
    constexpr std::size_t least_leg = 3; // joints
    constexpr float alike = 0.05F;       // of a leg's length
    Shape best;
    float longest = 0;
    const std::vector<std::size_t> next = longest_ways(rig, model);
    std::vector<std::vector<std::size_t>> children(rig.joints.size());
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        if (rig.joints[j].parent >= 0) { children[std::size_t(rig.joints[j].parent)].push_back(j); }
    }
    constexpr std::size_t most_ways = 12; // a body branches less
    for (std::size_t hips = 0; hips < rig.joints.size(); ++hips) {
        if (children[hips].size() < 3 || children[hips].size() > most_ways) { continue; }
        std::vector<std::vector<std::size_t>> ways;
        for (const std::size_t child : children[hips]) {
            auto& way = ways.emplace_back(1, child);
            while (next[way.back()] < rig.joints.size()) { way.push_back(next[way.back()]); }
        }
        const Vec3 middle = model[hips].translation;
        for (std::size_t a = 0; a < ways.size(); ++a) {
            for (std::size_t b = a + 1; b < ways.size(); ++b) {
                if (ways[a].size() != ways[b].size() || ways[a].size() < least_leg) { continue; }
                const Vec3 of_a = model[ways[a].back()].translation - middle;
                const Vec3 of_b = model[ways[b].back()].translation - middle;
                const auto aside = along(of_a - of_b);
                if (!aside) { continue; }
                const Vec3 side = aside->vector();
                // Reflected on the plane between them the one is the other, joint by joint.
                bool mirrored = true;
                for (std::size_t i = 0; i < ways[a].size(); ++i) {
                    const Vec3 one = model[ways[a][i]].translation - middle;
                    const Vec3 other = model[ways[b][i]].translation - middle;
                    const Vec3 reflected = other - side * (2 * dot(other, side));
                    mirrored = mirrored && length(one - reflected) < alike * length(of_a);
                }
                const Vec3 down = (of_a + of_b) * 0.5F;
                const auto up = along(down * -1.0F);
                if (!mirrored || !up || up->which == aside->which || !(length(down) > longest)) { continue; }
                float trunk = 0;
                for (std::size_t c = 0; c < ways.size(); ++c) {
                    if (c == a || c == b) { continue; }
                    for (const std::size_t joint : ways[c]) {
                        trunk = std::max(trunk, dot(model[joint].translation - middle, up->vector()));
                    }
                }
                if (trunk < 0.3F * length(down)) { continue; } // arms, or a table
                Vec3 toes{};
                for (const std::size_t leg : {a, b}) {
                    const Vec3 end = model[ways[leg].back()].translation;
                    const Vec3 off = end - model[ways[leg][ways[leg].size() - 2]].translation;
                    toes = toes + off - up->vector() * dot(off, up->vector());
                }
                const auto ahead = along(toes);
                if (!ahead || ahead->which == up->which || !(length(toes) > alike * length(down))) { continue; }
                longest = length(down);
                best = {up, ahead};
            }
        }
    }
    return best;
}

/// Metres a unit, of a body of this height in units that could be nobody's in metres.
double guessed_scale(double height) {
    constexpr double smallest = 0.2, greatest = 8, person = 1.7; // metres
    if (!(height > 1e-9) || (height >= smallest && height <= greatest)) { return 1; }
    double best = 1;
    for (const double scale : {0.01, 0.0254, 0.001, 0.1, 0.3048, 100.0, 39.37, 1000.0, 10.0}) {
        const double off = std::fabs(std::log(height * scale / person)),
                     least = std::fabs(std::log(height * best / person));
        if (off < least) { best = scale; }
    }
    return best;
}

} // namespace

Stance stance_of(const Rig& rig, const BodyReading& how) {
    Stance stance;
    const auto model = model_space(rig, rest_pose(rig));
    const BodyParts parts = body_parts(rig);
    std::optional<Axis> up, ahead;
    const bool by_name = parts.feet.size() == 2 && parts.hips >= 0 &&
                         sided_name(rig.joints[std::size_t(parts.feet[0].ankle)].name).side == Side::left &&
                         sided_name(rig.joints[std::size_t(parts.feet[1].ankle)].name).side == Side::right;
    if (by_name) {
        const Vec3 left_foot = model[std::size_t(parts.feet[0].ankle)].translation;
        const Vec3 right_foot = model[std::size_t(parts.feet[1].ankle)].translation;
        const Vec3 hips = model[std::size_t(parts.hips)].translation;
        up = along(hips - (left_foot + right_foot) * 0.5F);
        const auto left = along(left_foot - right_foot);
        if (up && left && left->which != up->which) {
            ahead = along(cross(left->vector(), up->vector()));
            // A rig may be named as one sees it from before: the toes know better.
            const Vec3 toes = toward_toes(rig, model, parts.feet, up->vector());
            constexpr float clear = 0.05F; // of the hips' height
            const auto pointed = along(toes);
            if (pointed && length(toes) > clear * length(hips - left_foot) && pointed->which == ahead->which) {
                ahead = pointed;
            }
        }
    }
    bool shows = by_name;
    if (!by_name) {
        const Shape shape = shape_of(rig, model);
        up = shape.up;
        ahead = shape.ahead;
        shows = up.has_value();
    }
    if (const auto said = axis_named(how.up)) { up = said; }
    if (const auto said = axis_named(how.faces)) { ahead = said; }
    // What is said has its effect, whether or not the body shows the rest.
    if (!how.up.empty() && how.faces.empty() && (!ahead || ahead->which == up->which)) { ahead = usually_ahead(*up); }
    if (!how.faces.empty() && how.up.empty() && (!up || up->which == ahead->which)) {
        up = ahead->which == 1 ? Axis{2, 1} : Axis{1, 1};
    }
    if (up && ahead && up->which != ahead->which) {
        stance.turn = turn_of(up->vector(), ahead->vector());
        stance.turns = degrees_between(stance.turn, {}) > 1;
        if (stance.turns) {
            stance.words = fmt::format("it stands on {} and faces {}: turned to stand on +Y and face +Z", up->name(),
                                       ahead->name());
        } else {
            stance.turn = {};
        }
    }
    // From the lowest joint to the highest along what is up.
    const Vec3 upward = up ? up->vector() : Vec3{0, 1, 0};
    float low = 0, high = 0;
    for (std::size_t j = 0; j < model.size(); ++j) {
        const float at = dot(model[j].translation, upward);
        low = j == 0 ? at : std::min(low, at);
        high = j == 0 ? at : std::max(high, at);
    }
    stance.scale = how.scale ? *how.scale : shows ? guessed_scale(double(high - low)) : 1;
    stance.scales = std::fabs(stance.scale - 1) > 1e-9;
    if (stance.scales && !how.scale) {
        stance.words += fmt::format("{}it is {:.3g} units tall: taken as {} metres each, {:.2f} m",
                                    stance.words.empty() ? "" : "; ", double(high - low), stance.scale,
                                    double(high - low) * stance.scale);
    }
    return stance;
}

void apply(const Stance& stance, Rig& rig) {
    const auto scale = float(stance.scale);
    for (Joint& joint : rig.joints) {
        joint.rest.translation = joint.rest.translation * scale;
        if (joint.parent < 0) {
            joint.rest.rotation = normalized(stance.turn * joint.rest.rotation);
            joint.rest.translation = rotate(stance.turn, joint.rest.translation);
        }
        for (std::size_t e = 0; e < 16; ++e) {
            if (e % 4 != 3) { joint.inverse_bind.elements[e] *= scale; }
        }
    }
}

} // namespace gait::detail
