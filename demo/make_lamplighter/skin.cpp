#include "skin.hpp"

#include "../lamplighter_facts.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace lamplighter {
namespace {

using Eigen::Vector3d;
using Weights = std::vector<std::pair<std::string, double>>;

/// An ellipse of vertices; rings in a row make a tube.
struct Ring {
    Vector3d centre;
    double wide = 0; ///< along `across`
    double deep = 0; ///< along the tube's other direction
    Weights weights;
};

class Builder {
public:
    Builder(const Skeleton& skeleton, std::string material, std::array<double, 3> colour) : skeleton_(skeleton) {
        part_.material = std::move(material);
        part_.colour = colour;
    }

    /// A closed tube through `rings`; `across` is the direction of their width, `along` the way from the first to the
    /// last.
    void tube(const std::vector<Ring>& rings, const Vector3d& along, const Vector3d& across, int sides = 10) {
        const Vector3d u = across.normalized(), v = along.normalized().cross(u).normalized();
        const auto first = part_.vertices.size();
        for (const Ring& ring : rings) {
            for (int s = 0; s < sides; ++s) {
                const double a = 2 * pi * s / sides;
                add_vertex(ring.centre + ring.wide * std::cos(a) * u + ring.deep * std::sin(a) * v, ring.weights);
            }
        }
        for (std::size_t r = 0; r + 1 < rings.size(); ++r) {
            for (int s = 0; s < sides; ++s) {
                const auto here = first + r * std::size_t(sides), next = here + std::size_t(sides);
                const auto i = std::size_t(s), j = std::size_t((s + 1) % sides);
                triangle(here + i, here + j, next + i);
                triangle(here + j, next + j, next + i);
            }
        }
        cap(first, rings.front(), sides, true);
        cap(first + (rings.size() - 1) * std::size_t(sides), rings.back(), sides, false);
    }

    /// An open tube whose vertices are weighed one by one.
    template <typename Weigh>
    void open_tube(const std::vector<Ring>& rings, const Vector3d& along, const Vector3d& across, int sides,
                   Weigh weigh) {
        const Vector3d u = across.normalized(), v = along.normalized().cross(u).normalized();
        const auto first = part_.vertices.size();
        for (const bool outside : {true, false}) {
            const auto base = part_.vertices.size();
            const double thin = outside ? 0 : 0.008;
            for (const Ring& ring : rings) {
                for (int s = 0; s < sides; ++s) {
                    const double a = 2 * pi * s / sides;
                    const Vector3d p =
                        ring.centre + (ring.wide - thin) * std::cos(a) * u + (ring.deep - thin) * std::sin(a) * v;
                    add_vertex(p, weigh(p));
                }
            }
            for (std::size_t r = 0; r + 1 < rings.size(); ++r) {
                for (int s = 0; s < sides; ++s) {
                    const auto here = base + r * std::size_t(sides), next = here + std::size_t(sides);
                    const auto i = std::size_t(s), j = std::size_t((s + 1) % sides);
                    if (outside) {
                        triangle(here + i, here + j, next + i);
                        triangle(here + j, next + j, next + i);
                    } else {
                        triangle(here + j, here + i, next + i);
                        triangle(next + j, here + j, next + i);
                    }
                }
            }
        }
        const std::size_t inside = first + rings.size() * std::size_t(sides);
        const std::size_t hem = (rings.size() - 1) * std::size_t(sides);
        for (int s = 0; s < sides; ++s) {
            const auto i = std::size_t(s), j = std::size_t((s + 1) % sides);
            triangle(first + hem + i, first + hem + j, inside + hem + i);
            triangle(first + hem + j, inside + hem + j, inside + hem + i);
        }
    }

    SkinPart finish() {
        for (SkinVertex& v : part_.vertices) { v.normal.setZero(); }
        const auto& t = part_.triangles;
        for (std::size_t i = 0; i + 2 < t.size(); i += 3) {
            SkinVertex &a = part_.vertices[t[i]], &b = part_.vertices[t[i + 1]], &c = part_.vertices[t[i + 2]];
            const Vector3d n = (b.position - a.position).cross(c.position - a.position);
            for (SkinVertex* v : {&a, &b, &c}) { v->normal += n; }
        }
        for (SkinVertex& v : part_.vertices) {
            v.normal = v.normal.norm() > 1e-12 ? v.normal.normalized() : Vector3d(0, 1, 0);
        }
        return std::move(part_);
    }

private:
    void add_vertex(const Vector3d& position, const Weights& weights) {
        SkinVertex v;
        v.position = position;
        double total = 0;
        std::size_t n = 0;
        for (const auto& [name, weight] : weights) {
            if (weight <= 1e-4 || n == 4) { continue; }
            v.joints[n] = skeleton_.index(name);
            v.weights[n] = weight;
            total += weight;
            ++n;
        }
        for (double& w : v.weights) { w /= total; }
        part_.vertices.push_back(v);
    }

    void triangle(std::size_t a, std::size_t b, std::size_t c) {
        for (const std::size_t corner : {a, b, c}) { part_.triangles.push_back(static_cast<unsigned short>(corner)); }
    }

    void cap(std::size_t ring, const Ring& shape, int sides, bool at_start) {
        const auto middle = part_.vertices.size();
        add_vertex(shape.centre, shape.weights);
        for (int s = 0; s < sides; ++s) {
            const auto i = ring + std::size_t(s), j = ring + std::size_t((s + 1) % sides);
            if (at_start) {
                triangle(middle, j, i);
            } else {
                triangle(middle, i, j);
            }
        }
    }

    const Skeleton& skeleton_;
    SkinPart part_;
};

const Vector3d x_axis(1, 0, 0), y_axis(0, 1, 0), z_axis(0, 0, 1);

void add_legs(const Skeleton& skeleton, Builder& trousers, Builder& boots) {
    for (const std::string side : {"left", "right"}) {
        const Vector3d hip = skeleton.joints()[std::size_t(skeleton.index(side + "_upper_leg"))].position;
        const std::string upper = side + "_upper_leg", lower = side + "_lower_leg", foot = side + "_foot",
                          toes = side + "_toes";
        const auto at = [&](double y, double z) { return Vector3d(hip.x(), y, z); };
        trousers.tube({{at(0.93, 0), 0.075, 0.085, {{"hips", 0.6}, {upper, 0.4}}},
                       {at(0.83, 0.003), 0.078, 0.088, {{"hips", 0.12}, {upper, 0.88}}},
                       {at(0.68, 0.006), 0.068, 0.074, {{upper, 1}}},
                       {at(0.56, 0.006), 0.057, 0.060, {{upper, 0.92}, {lower, 0.08}}},
                       {at(0.50, 0.006), 0.053, 0.056, {{upper, 0.5}, {lower, 0.5}}},
                       {at(0.44, 0.000), 0.052, 0.056, {{upper, 0.08}, {lower, 0.92}}},
                       {at(0.36, -0.012), 0.052, 0.058, {{lower, 1}}},
                       {at(0.24, -0.006), 0.046, 0.050, {{lower, 1}}}},
                      -y_axis, x_axis);
        boots.tube({{at(0.30, -0.008), 0.057, 0.062, {{lower, 1}}},
                    {at(0.20, -0.002), 0.049, 0.053, {{lower, 1}}},
                    {at(0.115, 0), 0.044, 0.050, {{lower, 0.6}, {foot, 0.4}}},
                    {at(0.07, 0), 0.043, 0.056, {{foot, 1}}},
                    {at(0.02, 0), 0.040, 0.054, {{foot, 1}}}},
                   -y_axis, x_axis);
        const auto sole = [&](double y, double z) { return Vector3d(hip.x(), y, z); };
        boots.tube({{sole(0.032, -0.062), 0.026, 0.026, {{foot, 1}}},
                    {sole(0.042, -0.03), 0.038, 0.042, {{foot, 1}}},
                    {sole(0.052, 0.03), 0.040, 0.052, {{foot, 1}}},
                    {sole(0.040, 0.085), 0.044, 0.040, {{foot, 1}}},
                    {sole(0.029, 0.135), 0.048, 0.029, {{foot, 0.5}, {toes, 0.5}}},
                    {sole(0.024, 0.18), 0.042, 0.024, {{toes, 1}}},
                    {sole(0.018, 0.215), 0.022, 0.015, {{toes, 1}}}},
                   z_axis, x_axis);
    }
}

void add_arms(const Skeleton& skeleton, Builder& coat, Builder& skin) {
    for (const std::string side : {"left", "right"}) {
        const double sign = side == "left" ? 1 : -1;
        const auto place = [&](const char* part) {
            return skeleton.joints()[std::size_t(skeleton.index(side + part))].position;
        };
        const Vector3d shoulder = place("_upper_arm"), elbow = place("_lower_arm"), wrist = place("_hand");
        Vector3d along = left_arm_direction();
        along.x() *= sign;
        const std::string collar = side + "_shoulder", upper = side + "_upper_arm", lower = side + "_lower_arm",
                          hand = side + "_hand";
        const Vector3d inner(0.07 * sign, 1.405, -0.008);
        coat.tube({{inner, 0.055, 0.062, {{"chest", 0.6}, {collar, 0.4}}},
                   {shoulder - 0.03 * along, 0.060, 0.064, {{collar, 0.6}, {upper, 0.4}}},
                   {shoulder + 0.04 * along, 0.057, 0.060, {{collar, 0.1}, {upper, 0.9}}},
                   {shoulder + 0.16 * along, 0.050, 0.052, {{upper, 1}}},
                   {elbow - 0.03 * along, 0.046, 0.048, {{upper, 0.85}, {lower, 0.15}}},
                   {elbow, 0.045, 0.047, {{upper, 0.5}, {lower, 0.5}}},
                   {elbow + 0.03 * along, 0.045, 0.047, {{upper, 0.15}, {lower, 0.85}}},
                   {elbow + 0.13 * along, 0.042, 0.043, {{lower, 1}}},
                   {wrist - 0.005 * along, 0.044, 0.046, {{lower, 1}}}},
                  along, z_axis);
        skin.tube({{wrist - 0.02 * along, 0.026, 0.022, {{lower, 0.5}, {hand, 0.5}}},
                   {wrist + 0.02 * along, 0.036, 0.018, {{hand, 1}}},
                   {wrist + 0.06 * along, 0.042, 0.017, {{hand, 1}}},
                   {wrist + 0.09 * along, 0.038, 0.015, {{hand, 1}}}},
                  along, z_axis, 8);
        const auto finger = [&](const std::string& name, double wide, double length, const Vector3d& towards) {
            const Vector3d first = place(("_" + name + "_1").c_str()), second = place(("_" + name + "_2").c_str());
            skin.tube({{first - 0.012 * towards, wide, 0.012, {{hand, 0.6}, {side + "_" + name + "_1", 0.4}}},
                       {first + 0.010 * towards, wide, 0.012, {{side + "_" + name + "_1", 1}}},
                       {second, wide * 0.95, 0.011, {{side + "_" + name + "_1", 0.5}, {side + "_" + name + "_2", 0.5}}},
                       {second + length * towards, wide * 0.8, 0.008, {{side + "_" + name + "_2", 1}}}},
                      towards, z_axis, 6);
        };
        finger("fingers", 0.028, 0.036, along);
        finger("index", 0.010, 0.032, along);
        finger("thumb", 0.011, 0.026, (along + 0.7 * z_axis).normalized());
    }
}

void add_trunk(Builder& coat, Builder& skin, Builder& scarf) {
    coat.tube({{{0, 0.90, -0.002}, 0.150, 0.112, {{"hips", 1}}},
               {{0, 0.98, -0.004}, 0.145, 0.108, {{"hips", 0.8}, {"spine_1", 0.2}}},
               {{0, 1.06, -0.006}, 0.130, 0.100, {{"hips", 0.15}, {"spine_1", 0.85}}},
               {{0, 1.15, -0.004}, 0.134, 0.104, {{"spine_1", 0.3}, {"spine_2", 0.7}}},
               {{0, 1.26, 0.002}, 0.150, 0.118, {{"spine_2", 0.4}, {"chest", 0.6}}},
               {{0, 1.35, 0.002}, 0.158, 0.116, {{"chest", 1}}},
               {{0, 1.42, -0.006}, 0.130, 0.088, {{"chest", 1}}},
               {{0, 1.455, -0.010}, 0.072, 0.066, {{"chest", 0.7}, {"neck", 0.3}}}},
              y_axis, x_axis, 14);
    skin.tube({{{0, 1.44, -0.008}, 0.046, 0.048, {{"chest", 0.5}, {"neck", 0.5}}},
               {{0, 1.50, 0.000}, 0.043, 0.046, {{"neck", 1}}},
               {{0, 1.54, 0.004}, 0.045, 0.050, {{"neck", 0.5}, {"head", 0.5}}}},
              y_axis, x_axis, 8);
    scarf.tube({{{0, 1.435, -0.006}, 0.082, 0.080, {{"chest", 0.8}, {"neck", 0.2}}},
                {{0, 1.462, -0.004}, 0.086, 0.084, {{"chest", 0.5}, {"neck", 0.5}}},
                {{0, 1.488, -0.001}, 0.070, 0.070, {{"chest", 0.2}, {"neck", 0.8}}}},
               y_axis, x_axis, 12);
    scarf.tube({{{0.045, 1.44, 0.075}, 0.024, 0.012, {{"chest", 1}}},
                {{0.055, 1.36, 0.112}, 0.028, 0.010, {{"chest", 1}}},
                {{0.060, 1.25, 0.122}, 0.032, 0.009, {{"chest", 0.7}, {"spine_2", 0.3}}}},
               -y_axis, x_axis, 6);
}

void add_head(Builder& skin, Builder& hair, Builder& cap) {
    const Weights head{{"head", 1}}, on_cap{{"cap", 1}};
    skin.tube({{{0, 1.515, 0.030}, 0.030, 0.034, head},
               {{0, 1.535, 0.024}, 0.050, 0.062, head},
               {{0, 1.575, 0.014}, 0.066, 0.082, head},
               {{0, 1.620, 0.008}, 0.072, 0.090, head},
               {{0, 1.665, 0.004}, 0.070, 0.088, head},
               {{0, 1.700, 0.000}, 0.050, 0.066, head}},
              y_axis, x_axis, 12);
    skin.tube({{{0, 1.585, 0.090}, 0.013, 0.010, head}, {{0, 1.592, 0.112}, 0.008, 0.008, head}}, z_axis, x_axis, 6);
    hair.tube({{{0, 1.545, -0.050}, 0.040, 0.030, head},
               {{0, 1.580, -0.048}, 0.066, 0.046, head},
               {{0, 1.630, -0.036}, 0.075, 0.062, head},
               {{0, 1.672, -0.020}, 0.074, 0.074, head}},
              y_axis, x_axis, 10);
    hair.tube({{{0, 1.560, -0.082}, 0.020, 0.018, head},
               {{0, 1.582, -0.106}, 0.034, 0.032, head},
               {{0, 1.606, -0.112}, 0.022, 0.020, head}},
              (y_axis - 0.6 * z_axis).normalized(), x_axis, 8);
    cap.tube({{{0, 1.652, 0.000}, 0.080, 0.094, on_cap},
              {{0, 1.676, -0.002}, 0.083, 0.096, on_cap},
              {{0, 1.700, -0.006}, 0.100, 0.108, on_cap},
              {{0, 1.722, -0.008}, 0.094, 0.100, on_cap},
              {{0, 1.734, -0.010}, 0.050, 0.055, on_cap}},
             y_axis, x_axis, 12);
    cap.tube({{{0, 1.655, 0.060}, 0.066, 0.008, on_cap},
              {{0, 1.650, 0.110}, 0.062, 0.007, on_cap},
              {{0, 1.642, 0.142}, 0.036, 0.005, on_cap}},
             z_axis, x_axis, 8);
}

void add_skirt(Builder& coat) {
    const auto weigh = [](const Vector3d& p) {
        const double down = std::clamp((0.95 - p.y()) / 0.12, 0.0, 1.0);  // from the hips to the tails
        const double lower = std::clamp((0.76 - p.y()) / 0.14, 0.0, 1.0); // from the upper to the lower tail
        const double left = std::clamp(0.5 + p.x() / 0.16, 0.0, 1.0), front = std::clamp(0.5 + p.z() / 0.18, 0.0, 1.0);
        std::vector<std::pair<double, std::string>> tails{{left * front, "left_coat_front"},
                                                          {left * (1 - front), "left_coat_back"},
                                                          {(1 - left) * front, "right_coat_front"},
                                                          {(1 - left) * (1 - front), "right_coat_back"}};
        std::sort(tails.begin(), tails.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
        Weights weights;
        if (down < 1) {
            weights.emplace_back("hips", 1 - down);
            for (int i = 0; i < 3; ++i) {
                weights.emplace_back(tails[std::size_t(i)].second + "_1", down * tails[std::size_t(i)].first);
            }
            return weights;
        }
        for (int i = 0; i < 2; ++i) {
            weights.emplace_back(tails[std::size_t(i)].second + "_1", (1 - lower) * tails[std::size_t(i)].first);
            weights.emplace_back(tails[std::size_t(i)].second + "_2", lower * tails[std::size_t(i)].first);
        }
        return weights;
    };
    coat.open_tube({{{0, 0.985, -0.004}, 0.148, 0.112, {}},
                    {{0, 0.90, -0.002}, 0.168, 0.130, {}},
                    {{0, 0.82, 0.000}, 0.182, 0.142, {}},
                    {{0, 0.74, 0.000}, 0.194, 0.152, {}},
                    {{0, 0.66, 0.000}, 0.204, 0.160, {}},
                    {{0, 0.58, 0.000}, 0.214, 0.168, {}}},
                   -y_axis, x_axis, 16, weigh);
}

} // namespace

std::vector<SkinPart> make_skin(const Skeleton& skeleton) {
    Builder coat(skeleton, "coat", {0.055, 0.115, 0.150}), trousers(skeleton, "trousers", {0.150, 0.110, 0.080});
    Builder boots(skeleton, "boots", {0.040, 0.030, 0.026}), skin(skeleton, "skin", {0.640, 0.400, 0.290});
    Builder hair(skeleton, "hair", {0.210, 0.075, 0.030}), cap(skeleton, "cap", {0.070, 0.075, 0.090}),
        scarf(skeleton, "scarf", {0.620, 0.330, 0.050});
    add_legs(skeleton, trousers, boots);
    add_trunk(coat, skin, scarf);
    add_skirt(coat);
    add_arms(skeleton, coat, skin);
    add_head(skin, hair, cap);
    std::vector<SkinPart> parts;
    for (Builder* builder : {&coat, &trousers, &boots, &skin, &hair, &cap, &scarf}) {
        parts.push_back(builder->finish());
    }
    return parts;
}

} // namespace lamplighter
