#include "gait/math.hpp"
#include "math/aligned.hpp"
#include "math/model_kernels.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>
#include <tuple>

using namespace gait;
using namespace gait::detail;

namespace {

constexpr std::size_t lanes = 64;

/// `alike` lanes beside each other have the same.
AlignedFloats random_rotations(unsigned seed, std::size_t alike = 1) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal;
    AlignedFloats rows(4 * lanes);
    Quat q;
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        if (lane % alike == 0) { q = normalized({normal(random), normal(random), normal(random), normal(random)}); }
        rows[lane] = q.x;
        rows[lanes + lane] = q.y;
        rows[2 * lanes + lane] = q.z;
        rows[3 * lanes + lane] = q.w;
    }
    return rows;
}

Quat at(const AlignedFloats& rows, std::size_t lane) {
    return {rows[lane], rows[lanes + lane], rows[2 * lanes + lane], rows[3 * lanes + lane]};
}

/// Leaves the kernels as they were found.
struct PinnedTarget {
    explicit PinnedTarget(const std::string& name) { REQUIRE(kernels::pin_target(name)); }
    ~PinnedTarget() { kernels::pin_target({}); }
};

AlignedFloats blend_everything(std::size_t alike = 1) {
    const AlignedFloats a = random_rotations(1, alike), b = random_rotations(2, alike),
                        turn_source = random_rotations(3, alike);
    AlignedFloats sum(4 * lanes, 0.0F), turn(3 * lanes), signs(lanes);
    for (std::size_t lane = 0; lane < lanes; ++lane) { signs[lane] = lane / alike % 3 == 0 ? -1.0F : 1.0F; }
    for (std::size_t i = 0; i < turn.size(); ++i) { turn[i] = turn_source[i] * 1.5F; }
    const kernels::BlendSource sources[] = {{a.data(), b.data(), lanes, 0.42F, 0.18F, nullptr},
                                            {b.data(), a.data(), lanes, 0.36F, 0.04F, signs.data()}};
    kernels::accumulate({sum.data(), lanes}, sources, 2, lanes);
    kernels::normalize({sum.data(), lanes}, lanes);
    kernels::turn_by({sum.data(), lanes}, {turn.data(), lanes}, lanes);
    return sum;
}

} // namespace

TEST_CASE("every instruction set this machine runs gives the same poses") {
    const auto targets = kernels::runnable_targets();
    REQUIRE(targets.size() >= 2);
    const AlignedFloats best = blend_everything();
    for (const std::string& target : targets) {
        const PinnedTarget pinned(target);
        const AlignedFloats other = blend_everything();
        for (std::size_t i = 0; i < best.size(); ++i) {
            INFO(target << " differs at " << i);
            CHECK(std::fabs(best[i] - other[i]) < 1e-5F);
        }
    }
}

TEST_CASE("instruction sets that round alike give the same bits, as one does on every maker's processors") {
    // None of these fuses a multiplication with an addition. What a processor only guesses would differ from what is
    // computed an element at a time, as it does from maker to maker. (Lanes of one vector are alike, for some sums are
    // done otherwise where all lanes of a vector allow it.)
    constexpr std::size_t alike = 4;
    const auto targets = kernels::runnable_targets();
    std::vector<AlignedFloats> poses;
    for (const char* target : {"SCALAR", "EMU128", "SSE2", "SSSE3", "SSE4"}) {
        if (std::find(targets.begin(), targets.end(), target) == targets.end()) { continue; }
        const PinnedTarget pinned(target);
        AlignedFloats pose = blend_everything(alike);
        const AlignedFloats above = random_rotations(9, alike);
        AlignedFloats weights(lanes);
        for (std::size_t lane = 0; lane < lanes; ++lane) { weights[lane] = float(lane / alike) * alike / lanes; }
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), result(lanes, 0);
        kernels::blend_rotations({pose.data(), lanes}, {above.data(), lanes}, weights.data(),
                                 {sign.data(), agreement.data(), result.data()}, lanes);
        poses.push_back(std::move(pose));
    }
    if (poses.size() < 2) {
        WARN("this machine runs " << poses.size() << " of the sets that do not fuse: there is nothing to compare");
        return;
    }
    for (const AlignedFloats& pose : poses) { CHECK(std::equal(pose.begin(), pose.end(), poses.front().begin())); }
}

TEST_CASE("every instruction set writes joints as they stand, and none that is not asked for") {
    AlignedFloats rows(10 * lanes);
    for (std::size_t i = 0; i < rows.size(); ++i) { rows[i] = float(i); }
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        for (const bool scales : {false, true}) {
            kernels::LocalPose pose;
            pose.rotations = {rows.data(), lanes};
            pose.translations = {rows.data() + 4 * lanes, lanes};
            if (scales) { pose.scales = {rows.data() + 7 * lanes, lanes}; }
            for (const std::size_t joints : {1U, 13U, 45U, 64U}) {
                CAPTURE(target, scales, joints);
                std::vector<float> transforms(10 * lanes + 1, -1);
                kernels::local_transforms(pose, joints, transforms.data());
                std::size_t wrong = 0;
                for (std::size_t i = 0; i < transforms.size(); ++i) {
                    const std::size_t joint = i / 10, row = i % 10;
                    const float expected = joint >= joints ? -1 : row >= 7 && !scales ? 1 : rows[row * lanes + joint];
                    wrong += transforms[i] == expected ? 0U : 1U;
                }
                CHECK(wrong == 0);
            }
        }
    }
}

TEST_CASE("every instruction set gives a skin's joints their matrices, as four rows or three, and writes no others") {
    constexpr std::size_t joints = 5;
    std::vector<Matrix4> model(joints), bind;
    std::mt19937 random(7);
    const auto fill = [&](Matrix4& matrix) {
        for (float& element : matrix.elements) { element = std::uniform_real_distribution<float>(-2, 2)(random); }
    };
    std::for_each(model.begin(), model.end(), fill);
    const std::vector<std::uint16_t> order{3, 0, no_index, 4, 3, 1, 2};
    for (std::size_t i = 0; i < order.size(); ++i) { fill(bind.emplace_back()); }
    const auto floats = [](const std::vector<Matrix4>& matrices) {
        return reinterpret_cast<const float*>(matrices.data());
    };
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        const kernels::Skin skin{order.data(), floats(bind), order.size()};
        std::vector<float> columns(16 * order.size() + 1, 99), rows(12 * order.size() + 1, 99);
        kernels::skin_matrices(skin, floats(model), columns.data());
        kernels::skin_matrices_by_rows(skin, floats(model), rows.data());
        float apart = 0;
        bool same = true;
        for (std::size_t i = 0; i < order.size(); ++i) {
            const Matrix4 expected = order[i] == no_index ? bind[i] : model[order[i]] * bind[i];
            for (std::size_t e = 0; e < 16; ++e) {
                const std::size_t row = e % 4, column = e / 4;
                apart = std::max(apart, std::abs(columns[16 * i + e] - expected.elements[e]));
                same = same && (row == 3 || rows[12 * i + 4 * row + column] == columns[16 * i + e]);
            }
        }
        CHECK(apart < 1e-5F);
        CHECK(same);
        CHECK(columns.back() == 99);
        CHECK(rows.back() == 99);
    }
}

TEST_CASE("every instruction set gives the same model and skinning matrices") {
    Performer performer(support::lamplighter().character);
    performer.set("speed", 2);
    for (int frame = 0; frame < 40; ++frame) { performer.advance(1.0 / 30); }
    std::vector<Matrix4> best_model(performer.character().joint_count()), best_skin = best_model;
    performer.model_matrices(best_model);
    performer.skinning_matrices(best_skin);
    const auto differ = [](const std::vector<Matrix4>& a, const std::vector<Matrix4>& b) {
        float greatest = 0;
        for (std::size_t j = 0; j < a.size(); ++j) {
            for (int e = 0; e < 16; ++e) {
                greatest = std::max(greatest, std::abs(a[j].elements[e] - b[j].elements[e]));
            }
        }
        return greatest;
    };
    for (const std::string& target : runnable_targets()) {
        const PinnedTarget pinned(target);
        auto model = best_model, skin = best_skin;
        performer.model_matrices(model);
        performer.skinning_matrices(skin);
        CAPTURE(target);
        CHECK(differ(model, best_model) < 1e-5F);
        CHECK(differ(skin, best_skin) < 1e-5F);
        CHECK(differ(skin, model) > 0.1F);
    }
}

TEST_CASE("none wider than AVX2 is chosen: frames take less time so") {
    for (const std::string& target : kernels::runnable_targets()) {
        CAPTURE(target);
        CHECK(target.rfind("AVX3", 0) == std::string::npos);
        CHECK(target.rfind("AVX10", 0) == std::string::npos);
    }
}

TEST_CASE("a rig of hundreds of joints and several roots has the matrices of its joints one by one") {
    constexpr std::size_t joints = 300, padded = 304;
    std::mt19937 random(12);
    std::normal_distribution<float> normal;
    AlignedFloats rows(7 * padded), bind(16 * joints), matrices(16 * joints);
    std::vector<std::int16_t> parents(padded, -1);
    std::vector<std::uint16_t> order(joints);
    std::vector<int> levels(joints, 0);
    std::vector<Transform> local(joints), model(joints);
    for (std::size_t j = 0; j < joints; ++j) {
        order[j] = std::uint16_t(j);
        if (j % 97 != 0) {
            parents[j] = std::int16_t(random() % j);
            levels[j] = levels[std::size_t(parents[j])] + 1;
        }
        local[j].rotation = normalized({normal(random), normal(random), normal(random), normal(random)});
        local[j].translation = {normal(random) / 4, normal(random) / 4, normal(random) / 4};
        const Quat q = local[j].rotation;
        const Vec3 t = local[j].translation;
        const std::array<float, 7> values{q.x, q.y, q.z, q.w, t.x, t.y, t.z};
        for (std::size_t row = 0; row < 7; ++row) { rows[row * padded + j] = values[row]; }
        model[j] = parents[j] < 0 ? local[j] : model[std::size_t(parents[j])] * local[j];
        const Matrix4 own = to_matrix({local[j].rotation, local[j].translation * 2, {1, 1, 1}});
        std::copy_n(own.elements, 16, bind.data() + 16 * j);
    }
    const auto place = [&](std::uint16_t j) { return std::tuple(j / kernels::level_order_chunk, levels[j], j); };
    std::sort(order.begin(), order.end(), [&](std::uint16_t a, std::uint16_t b) { return place(a) < place(b); });
    kernels::LocalPose pose;
    pose.rotations = {rows.data(), padded};
    pose.translations = {rows.data() + 4 * padded, padded};
    pose.parents = parents.data();
    pose.level_order = order.data();
    pose.joints = joints;
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        for (const bool bound : {false, true}) {
            kernels::model_matrices(pose, bound ? bind.data() : nullptr, matrices.data());
            float off = 0;
            for (std::size_t j = 0; j < joints; ++j) {
                Matrix4 own;
                std::copy_n(bind.data() + 16 * j, 16, own.elements);
                const Matrix4 expected = bound ? to_matrix(model[j]) * own : to_matrix(model[j]);
                for (std::size_t e = 0; e < 16; ++e) {
                    off = std::max(off, std::fabs(expected.elements[e] - matrices[16 * j + e]));
                }
            }
            CHECK(off < 2e-5F);
        }
    }
}

TEST_CASE("turns that are hardly any are stored as none, on every instruction set") {
    AlignedFloats turns(3 * lanes, 1e-20F);
    std::vector<std::int16_t> stored(3 * lanes, 7);
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        CHECK(kernels::store_turns({turns.data(), lanes}, {stored.data(), lanes}, lanes) == 0);
        CHECK(std::count(stored.begin(), stored.end(), 0) == std::ptrdiff_t(stored.size()));
    }
}

TEST_CASE("turns between two poses and what they change by are caught however far they are, on every instruction set") {
    const AlignedFloats first = random_rotations(7), axes = random_rotations(8), others = random_rotations(9);
    const auto axis = [](const AlignedFloats& rows, std::size_t lane) {
        return Vec3{rows[lane], rows[lanes + lane], rows[2 * lanes + lane]};
    };
    const auto turned_by = [](Vec3 vector) { return axis_angle(vector, double(length(vector)) * degrees_per_radian); };
    for (const bool goes_on : {false, true}) {
        std::vector<Vec3> turns, changes;
        AlignedFloats before(4 * lanes), earlier(4 * lanes), after(4 * lanes), after_earlier(4 * lanes);
        for (std::size_t lane = 0; lane < lanes; ++lane) {
            // From next to nothing to all but half a turn.
            const float angle = lane == 0 ? 0 : std::min(3.1F, 1e-6F * std::pow(1.35F, float(lane)));
            const Vec3 off = axis(axes, lane), change = axis(others, lane) * 0.004F;
            turns.push_back(off * (angle / length(off)));
            changes.push_back(change);
            const Quat step = turned_by(axis(others, (lane + 9) % lanes) * 0.01F), own = at(first, lane);
            const Quat then = conjugate(step) * own;
            const auto put = [&](AlignedFloats& rows, Quat q, float scale) {
                for (std::size_t row = 0; row < 4; ++row) {
                    rows[row * lanes + lane] = scale * std::array{q.x, q.y, q.z, q.w}[row];
                }
            };
            // Of any length, and by either of its two quaternions.
            put(before, turned_by(turns[lane]) * own, lane % 3 == 0 ? -0.4F : 1.0F);
            put(earlier, turned_by(turns[lane] - change) * then, lane % 5 == 0 ? -1.7F : 1.0F);
            put(after, own, lane % 2 == 0 ? 0.6F : -1.0F);
            put(after_earlier, goes_on ? step * own : then, lane % 7 == 0 ? -1.2F : 1.0F);
        }
        // Sixteen at a time: a turn is kept as precisely as the longest beside it asks for.
        constexpr std::size_t few = 16;
        static_assert(lanes % few == 0);
        for (const std::string& target : kernels::runnable_targets()) {
            const PinnedTarget pinned(target);
            for (std::size_t begin = 0; begin < lanes; begin += few) {
                const auto layer = [&](const kernels::BlendSource& source) {
                    return kernels::PoseLayer{&source, &source + 1, nullptr, nullptr, nullptr, {}, nullptr, 0, few};
                };
                const auto source = [&](const AlignedFloats& rows) {
                    return kernels::BlendSource{rows.data() + begin, rows.data() + begin, lanes, 0.75F, 0.25F, nullptr};
                };
                const kernels::BlendSource now = source(after), then = source(after_earlier);
                const kernels::PoseLayer fresh = layer(now), fresh_then = layer(then);
                std::vector<std::int16_t> kept(6 * few);
                std::vector<std::uint32_t> opposed(3, 0);
                const kernels::CaughtTurns caught = kernels::catch_turns(
                    {{before.data() + begin, lanes}, {earlier.data() + begin, lanes}, fresh, fresh_then, goes_on},
                    {kept.data(), few}, {opposed.data(), 32 + begin});
                bool any = false;
                for (std::size_t i = 0; i < few; ++i) {
                    const std::size_t lane = begin + i, joint = 32 + lane;
                    CAPTURE(target, goes_on, lane);
                    const auto vector = [&](std::size_t row, float unit) {
                        const auto part = [&](std::size_t row_of) {
                            return unit * float(kept[(row + row_of) * few + i]);
                        };
                        return Vec3{part(0), part(1), part(2)};
                    };
                    CHECK(length(vector(0, caught.turn) - turns[lane]) < caught.turn + 2e-6F);
                    CHECK(length(vector(3, caught.change) - changes[lane]) < caught.change + 4e-6F);
                    const bool is_opposed = dot(at(before, lane), at(after, lane)) < 0;
                    CHECK(((opposed[joint / 32] >> (joint % 32)) & 1U) == (is_opposed ? 1U : 0U));
                    any = any || is_opposed;
                }
                CHECK(caught.any_opposed == any);
                const auto longest = [&](std::size_t row) {
                    return std::abs(*std::max_element(kept.begin() + std::ptrdiff_t(row * few),
                                                      kept.begin() + std::ptrdiff_t((row + 3) * few),
                                                      [](int a, int b) { return std::abs(a) < std::abs(b); }));
                };
                CHECK(longest(0) == 32767);
                CHECK(longest(3) == 32767);
                // Nobody asks for sides.
                CHECK_FALSE(
                    kernels::catch_turns(
                        {{before.data() + begin, lanes}, {earlier.data() + begin, lanes}, fresh, fresh_then, goes_on},
                        {kept.data(), few}, {nullptr, 0})
                        .any_opposed);
            }
        }
    }
}

TEST_CASE("the rotation vectors of differences are as long as their side says, on every instruction set") {
    const AlignedFloats differences = random_rotations(11), weights(lanes, 0.5F);
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        for (const int side : {-1, 1}) {
            std::vector<std::int8_t> signs(lanes, std::int8_t(side)), agreements(lanes), results(lanes, 1);
            AlignedFloats turns(3 * lanes);
            kernels::difference_turns({differences.data(), lanes}, weights.data(),
                                      {signs.data(), agreements.data(), results.data()}, {turns.data(), lanes}, lanes);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                const Quat given = at(differences, lane), q = signs[lane] < 0 ? -given : given;
                const Vec3 off =
                    Vec3{turns[lane], turns[lanes + lane], turns[2 * lanes + lane]} - rotation_vector<double>(q) * 0.5F;
                CHECK(length(off) < 2e-6F);
            }
        }
    }
}

TEST_CASE("an unknown instruction set is refused and nothing changes") {
    const AlignedFloats before = blend_everything();
    const std::string slowest = kernels::runnable_targets().back();
    const PinnedTarget pinned(slowest);
    const AlignedFloats with_slowest = blend_everything();
    CHECK_FALSE(kernels::pin_target("ABACUS"));
    // The machine's own choice or the one that was pinned: nothing else, and nothing broken.
    const AlignedFloats after = blend_everything();
    CHECK((std::equal(after.begin(), after.end(), before.begin()) ||
           std::equal(after.begin(), after.end(), with_slowest.begin())));
}

TEST_CASE("the blend kernels agree with the textbook") {
    const AlignedFloats a = random_rotations(4), b = random_rotations(5);
    AlignedFloats sum(4 * lanes, 0.0F);
    const kernels::BlendSource source{a.data(), b.data(), lanes, 0.375F, 0.125F, nullptr};
    kernels::accumulate({sum.data(), lanes}, &source, 1, lanes);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        const Quat p = at(a, lane), q = at(b, lane), got = at(sum, lane);
        CHECK(got.x == Approx(0.5F * (0.75F * p.x + 0.25F * q.x)).margin(1e-6));
        CHECK(got.w == Approx(0.5F * (0.75F * p.w + 0.25F * q.w)).margin(1e-6));
    }
    kernels::normalize({sum.data(), lanes}, lanes);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        CHECK(dot(at(sum, lane), at(sum, lane)) == Approx(1.0F).epsilon(1e-5));
    }
}

TEST_CASE("a sum that cancels out becomes the identity, not a division by zero") {
    AlignedFloats rows(4 * lanes, 0.0F);
    kernels::normalize({rows.data(), lanes}, lanes);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        CHECK(at(rows, lane).w == 1.0F);
        CHECK(at(rows, lane).x == 0.0F);
    }
}

TEST_CASE("half and half of two that are opposite shows what is below, on every instruction set") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        const AlignedFloats above = random_rotations(4);
        AlignedFloats below = above;
        const AlignedFloats half(lanes, 0.5F);
        std::vector<std::int8_t> sign(lanes, -1), agreement(lanes, 0), result(lanes, 1); // as a jump may leave them
        kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, half.data(),
                                 {sign.data(), agreement.data(), result.data()}, lanes);
        CHECK(below == above);
    }
}

TEST_CASE("a layer's weight is the part of the way that is gone, however far two poses are from each other") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        // The lanes are apart by up to a third of a turn beyond half of one, on the side that was kept.
        for (const float weight : {0.1F, 0.25F, 0.5F, 0.8F, 0.95F}) {
            AlignedFloats below(4 * lanes), above(4 * lanes);
            std::vector<double> apart(lanes);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                apart[lane] = 240.0 * double(lane) / double(lanes - 1);
                const Quat turn = axis_angle({0, 0, 1}, apart[lane]);
                below[3 * lanes + lane] = 1;
                above[2 * lanes + lane] = turn.z;
                above[3 * lanes + lane] = turn.w;
            }
            const AlignedFloats weights(lanes, weight);
            std::vector<std::int8_t> sign(lanes, 1), agreement(lanes, 0), result(lanes, 1);
            kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, weights.data(),
                                     {sign.data(), agreement.data(), result.data()}, lanes);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                CAPTURE(target, weight, apart[lane]);
                const double gone = 2 * std::atan2(below[2 * lanes + lane], below[3 * lanes + lane]) * 180 / pi;
                CHECK(gone == Approx(double(weight) * apart[lane]).margin(0.6));
            }
        }
    }
}

TEST_CASE("laid over in model space, each joint is between the two as the body has them, on every instruction set") {
    constexpr std::size_t joints = lanes - 3; // the rest is padding
    const AlignedFloats above = random_rotations(11), under = random_rotations(12);
    std::mt19937 random(13);
    AlignedFloats weights(lanes, 0.0F);
    std::vector<std::int16_t> parents(lanes, -1);
    std::vector<Quat> below(joints), target(joints), shown(joints), local(joints);
    for (std::size_t j = 0; j < joints; ++j) {
        // A tree of two roots, in which nothing counts less than what is above it: a third of it not at all.
        parents[j] = std::int16_t(
            j < 2 ? -1 : int(random() % std::min<std::size_t>(j, 7)) + int(j) - int(std::min<std::size_t>(j, 7)));
        const auto parent = std::size_t(std::max<int>(parents[j], 0));
        const bool root = parents[j] < 0;
        const float more = j < joints / 3 ? 0.0F : float(random() % 3) / 10;
        weights[j] = std::min(1.0F, more + (root ? 0.0F : weights[parent]));
        below[j] = root ? at(under, j) : below[parent] * at(under, j);
        target[j] = root ? at(above, j) : target[parent] * at(above, j);
        const Quat near = dot(below[j], target[j]) < 0 ? -target[j] : target[j];
        const float w = kernels::EvenWeight::of(weights[j], dot(below[j], near)), rest = 1 - w;
        const Quat &b = below[j], sum{rest * b.x + w * near.x, rest * b.y + w * near.y, rest * b.z + w * near.z,
                                      rest * b.w + w * near.w};
        shown[j] = normalized(sum);
        local[j] = normalized(root ? shown[j] : conjugate(shown[parent]) * shown[j]);
    }
    const auto counting = std::count_if(weights.begin(), weights.end(), [](float w) { return w > 0 && w < 1; });
    REQUIRE(counting > 10);
    for (const std::string& which : kernels::runnable_targets()) {
        const PinnedTarget pinned(which);
        AlignedFloats rows = under, model(3 * 4 * lanes);
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), turned(lanes, 0);
        const kernels::ModelRotations rotations{model.data(), model.data() + 4 * lanes, model.data() + 8 * lanes};
        for (const std::size_t first : {std::size_t{0}, lanes / 2}) { // in two windows
            const kernels::Hemispheres sides{sign.data() + first, agreement.data() + first, turned.data() + first};
            REQUIRE(kernels::lay_over_in_model({{above.data() + first, lanes},
                                                weights.data() + first,
                                                sides,
                                                parents.data() + first,
                                                first,
                                                lanes / 2},
                                               rotations, {rows.data() + first, lanes}));
        }
        for (std::size_t j = 0; j < joints; ++j) {
            CAPTURE(which, j, weights[j], parents[j]);
            if (weights[j] > 0) {
                CHECK(degrees_between(at(rows, j), local[j]) < 0.01);
            } else {
                CHECK(at(rows, j).x == at(under, j).x);
                CHECK(at(rows, j).w == at(under, j).w);
            }
        }
    }
}

TEST_CASE("joints that two blends have on opposite sides are found, turned or not, on every instruction set") {
    const AlignedFloats a = random_rotations(21), b = random_rotations(22), c = random_rotations(23);
    AlignedFloats factors(lanes, 1.0F), turn(4 * lanes, 0.0F);
    for (std::size_t lane = 0; lane < lanes; lane += 3) { factors[lane] = -1; }
    for (std::size_t i = 0; i < 3 * lanes; ++i) { turn[i] = 0.8F * c[i]; }
    const kernels::BlendSource first{a.data(), b.data(), lanes, 0.7F, 0.3F, factors.data()};
    const kernels::BlendSource second{c.data(), b.data(), lanes, 0.5F, 0.2F, nullptr};
    const kernels::BlendSource turned{turn.data(), turn.data(), lanes, 1, 0, nullptr};
    const auto layer = [&](const kernels::BlendSource& source, bool turns) {
        return kernels::PoseLayer{&source, &source + 1, &turned, &turned + (turns ? 1 : 0), nullptr, {},
                                  nullptr, 0,           lanes};
    };
    const auto blended = [&](const kernels::BlendSource& source, bool turns) {
        AlignedFloats rows(4 * lanes, 0.0F);
        const kernels::PoseLayer only = layer(source, turns);
        kernels::compose({rows.data(), lanes}, &only, 1);
        return rows;
    };
    for (const bool turns : {false, true}) {
        const AlignedFloats one = blended(first, false), other = blended(second, turns);
        std::vector<std::uint32_t> expected(3, 0);
        for (std::size_t lane = 0; lane < lanes; ++lane) {
            const std::size_t joint = lane + 32;
            if (dot(at(one, lane), at(other, lane)) < 0) { expected[joint / 32] |= 1U << (joint % 32); }
        }
        REQUIRE((expected[1] != 0 && expected[2] != 0 && expected[1] != expected[2]));
        for (const std::string& target : kernels::runnable_targets()) {
            const PinnedTarget pinned(target);
            CAPTURE(target, turns);
            std::vector<std::uint32_t> words(3, 0);
            CHECK(kernels::find_opposed(layer(first, false), layer(second, turns), {words.data(), 32}));
            CHECK(words == expected);
            std::fill(words.begin(), words.end(), 0U);
            CHECK_FALSE(kernels::find_opposed(layer(second, turns), layer(second, turns), {words.data(), 32}));
        }
    }
}

TEST_CASE("turns decay as one by one, those that head home fast too, on every instruction set") {
    std::mt19937 random(17);
    std::normal_distribution<float> normal;
    constexpr float start_unit = 1e-4F, velocity_unit = 1e-3F, seconds = 0.3F;
    std::vector<std::int16_t> turns(6 * lanes, 0);
    std::vector<Vec3> start(lanes), velocity(lanes);
    std::size_t fast = 0;
    for (std::size_t lane = 0; lane + 4 < lanes; ++lane) { // the last are at rest, as padding is
        const auto whole = [&](float number) { return std::int16_t(std::lround(number)); };
        for (std::size_t axis = 0; axis < 3; ++axis) {
            std::int16_t& from = turns[axis * lanes + lane];
            from = whole(4000 * normal(random));
            turns[(3 + axis) * lanes + lane] =
                whole(2500 * normal(random) - (lane % 2 == 0 ? 2.0F * float(from) : 0.0F));
        }
        const auto vector = [&](std::size_t row, float unit) {
            return Vec3{float(turns[row * lanes + lane]), float(turns[(row + 1) * lanes + lane]),
                        float(turns[(row + 2) * lanes + lane])} *
                   unit;
        };
        start[lane] = vector(0, start_unit);
        velocity[lane] = vector(3, velocity_unit);
        fast += SharedDecay(double(seconds), 0).arrives_earlier(start[lane], velocity[lane]) ? 1 : 0;
    }
    REQUIRE(fast > 10);
    REQUIRE(fast < 50);
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        for (const float elapsed : {0.0F, 0.02F, 0.09F, 0.2F, 0.29F, 0.3F, 0.4F}) {
            const SharedDecay decay{double(seconds), double(elapsed)};
            AlignedFloats left(3 * lanes);
            kernels::decay_turns({turns.data(), lanes},
                                 {start_unit, velocity_unit, decay.start(), decay.velocity(), seconds, elapsed},
                                 {left.data(), lanes}, lanes);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                const Vec3 expected = decayed(start[lane], velocity[lane], double(seconds), double(elapsed));
                CAPTURE(target, elapsed, lane);
                CHECK(length(Vec3{left[lane], left[lanes + lane], left[2 * lanes + lane]} - expected) < 2e-6F);
            }
        }
    }
}

TEST_CASE("a turn by a rotation vector is the turn about its axis by its length") {
    AlignedFloats rows(4 * lanes, 0.0F), turn(3 * lanes, 0.0F);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        rows[3 * lanes + lane] = 1;
        turn[lanes + lane] = float(lane) / lanes * float(pi);
    }
    kernels::turn_by({rows.data(), lanes}, {turn.data(), lanes}, lanes);
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        CHECK(degrees_between(at(rows, lane), axis_angle({0, 1, 0}, 180.0 * double(lane) / lanes)) < 0.001);
    }
}

TEST_CASE("a rotation vector longer than half a turn is cut to that, with its axis, on every instruction set") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        AlignedFloats rows(4 * lanes, 0.0F), turn(3 * lanes, 0.0F);
        for (std::size_t lane = 0; lane < lanes; ++lane) {
            rows[3 * lanes + lane] = 1;
            turn[lanes + lane] = (0.5F + float(lane) / lanes) * float(pi);
        }
        kernels::turn_by({rows.data(), lanes}, {turn.data(), lanes}, lanes);
        for (std::size_t lane = 0; lane < lanes; ++lane) {
            const double wanted = std::min(180.0, 90 + 180.0 * double(lane) / lanes);
            CHECK(degrees_between(at(rows, lane), axis_angle({0, 1, 0}, wanted)) < 0.05);
        }
    }
}

TEST_CASE("sign bits are spread over lanes, wherever in a word they begin, on every instruction set") {
    const std::uint32_t words[] = {0x80010003U, 0x0000FFFEU, 0xA5A5A5A5U};
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        for (const std::size_t first : {0U, 16U, 32U}) {
            AlignedFloats factors(48, 0.0F);
            kernels::spread_signs(words, first, factors.data(), 48);
            for (std::size_t lane = 0; lane < 48; ++lane) {
                const std::size_t joint = first + lane;
                CAPTURE(target, joint);
                CHECK(factors[lane] == (((words[joint / 32] >> (joint % 32)) & 1U) != 0 ? -1.0F : 1.0F));
            }
        }
    }
}

TEST_CASE("a pose that jumps to a quarter turn from another keeps its hemisphere, one that jumps past it changes it") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        AlignedFloats below(4 * lanes, 0.0F), above(4 * lanes, 0.0F);
        const AlignedFloats hardly(lanes, 1e-7F);
        std::fill_n(below.begin() + 3 * lanes, lanes, 1.0F);
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), result(lanes, 0);
        std::int8_t one_sign = 0, one_agreement = 0, one_result = 0;
        for (const auto& [product, wanted] : {std::pair{0.9F, 1}, {-0.1F, 1}, {0.9F, 1}, {-0.9F, -1}, {0.1F, -1}}) {
            std::fill_n(above.begin(), lanes, std::sqrt(1 - product * product));
            std::fill_n(above.begin() + 3 * lanes, lanes, product);
            kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, hardly.data(),
                                     {sign.data(), agreement.data(), result.data()}, lanes);
            kernels::remember({&one_sign, &one_agreement, &one_result}, product, hardly[0]);
            CAPTURE(product);
            CHECK(int(sign[17]) == wanted);
            CHECK(int(one_sign) == wanted);
        }
    }
}

TEST_CASE("layers composed at once are what each would be laid over the other by itself, on every instruction set") {
    const AlignedFloats a = random_rotations(4), b = random_rotations(5), c = random_rotations(6),
                        vectors = random_rotations(7);
    // The upper layer covers 32 lanes from the 16th on: some in full, some in part, some not at all.
    constexpr std::size_t first = 16, covered = 32;
    AlignedFloats weights(covered), factors(lanes);
    for (std::size_t lane = 0; lane < covered; ++lane) { weights[lane] = std::min(1.0F, float(lane) / 16); }
    for (std::size_t lane = 0; lane < lanes; ++lane) { factors[lane] = lane % 5 == 0 ? -1.0F : 0.5F; }
    const kernels::BlendSource lower[] = {{a.data(), b.data(), lanes, 0.3F, 0.2F, nullptr},
                                          {c.data(), a.data(), lanes, 0.1F, 0.4F, factors.data()}};
    const kernels::BlendSource turn{vectors.data(), vectors.data(), lanes, 0.5F, 0, nullptr};
    const kernels::BlendSource upper{b.data() + first, c.data() + first, lanes, 0.75F, 0.25F, nullptr};
    const auto turns_of = [&] {
        AlignedFloats turns(4 * lanes, 0.0F);
        kernels::accumulate({turns.data(), lanes}, &turn, 1, lanes);
        return turns;
    };
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        AlignedFloats one_by_one(4 * lanes, 0.0F), above(4 * lanes, 0.0F), at_once(4 * lanes, 7.0F);
        std::vector<std::int8_t> sign(2 * covered, 0), agreement(2 * covered, 0), result(2 * covered, 0);
        kernels::accumulate({one_by_one.data(), lanes}, lower, 2, lanes);
        kernels::normalize({one_by_one.data(), lanes}, lanes);
        kernels::turn_by({one_by_one.data(), lanes}, {turns_of().data(), lanes}, lanes);
        kernels::accumulate({above.data(), lanes}, &upper, 1, covered);
        kernels::normalize({above.data(), lanes}, covered);
        kernels::blend_rotations({one_by_one.data() + first, lanes}, {above.data(), lanes}, weights.data(),
                                 {sign.data(), agreement.data(), result.data()}, covered);
        std::uint8_t far_sides = 0;
        const kernels::PoseLayer layers[] = {{lower, lower + 2, &turn, &turn + 1, nullptr, {}, nullptr, 0, lanes},
                                             {&upper,
                                              &upper + 1,
                                              nullptr,
                                              nullptr,
                                              weights.data(),
                                              {&sign[covered], &agreement[covered], &result[covered]},
                                              &far_sides,
                                              first,
                                              covered}};
        kernels::compose({at_once.data(), lanes}, layers, 2);
        CHECK(far_sides == 0); // sides that were only just chosen are the near ones
        for (std::size_t i = 0; i < at_once.size(); ++i) { CHECK(at_once[i] == Approx(one_by_one[i]).margin(1e-6)); }
        // A layer by itself takes what is there for what is below.
        AlignedFloats on_top = one_by_one;
        kernels::compose({on_top.data(), lanes}, &layers[1], 1);
        CHECK(std::equal(on_top.begin(), on_top.begin() + first, one_by_one.begin()));
        for (std::size_t lane = 0; lane < covered; ++lane) {
            const Quat now = at(on_top, first + lane);
            CHECK(double(length(Vec3{now.x, now.y, now.z})) <= 1 + 1e-6);
            if (weights[lane] == 1) { CHECK(std::fabs(dot(now, at(above, lane))) == Approx(1).margin(1e-6)); }
        }
        // One that is kept, as it came by nearly half a turn, is told of.
        agreement.assign(agreement.size(), 1);
        constexpr std::size_t part = 8; // of those that are covered in part
        for (std::size_t row = 0; row < 4; ++row) { on_top[row * lanes + first + part] = above[row * lanes + part]; }
        sign[covered + part] = -1;
        agreement[covered + part] = 0;
        far_sides = 0;
        kernels::compose({on_top.data(), lanes}, &layers[1], 1);
        CHECK(far_sides == 1);
    }
}

TEST_CASE("joints in a vector remember their sides as one by one, whatever they remembered, on every instruction set") {
    constexpr std::size_t lanes = 16;
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        for (std::size_t c = 0; c < 3 * 3 * 2 * 4 * 4 * 2; ++c) {
            std::size_t rest = c;
            const auto one_of = [&](const std::vector<float>& choices) {
                const float chosen = choices[rest % choices.size()];
                rest /= choices.size();
                return chosen;
            };
            const float sign = one_of({-1, 0, 1}), agreement = one_of({-1, 0, 1}), turned = one_of({-1, 1}),
                        product = one_of({-0.9F, -0.1F, 0.1F, 0.9F}), weight = one_of({0, 0.3F, 0.7F, 1});
            std::vector<std::int8_t> signs(lanes, std::int8_t(sign)), agreements(lanes, std::int8_t(agreement)),
                results(lanes, std::int8_t(turned));
            // All alike, or with one among them whose side is not chosen yet.
            if (rest == 1) { signs[3] = 0; }
            auto one_sign = signs, one_agreement = agreements, one_result = results;
            AlignedFloats below(4 * lanes, 0.0F), above(4 * lanes, 0.0F);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                below[3 * lanes + lane] = 1;
                above[lane] = std::sqrt(1 - product * product);
                above[3 * lanes + lane] = product;
                kernels::remember({&one_sign[lane], &one_agreement[lane], &one_result[lane]}, product, weight);
            }
            const AlignedFloats weights(lanes, weight);
            const bool far = kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, weights.data(),
                                                      {signs.data(), agreements.data(), results.data()}, lanes);
            CAPTURE(sign, agreement, turned, product, weight, rest);
            CHECK(far == (std::count(one_agreement.begin(), one_agreement.end(), std::int8_t{-1}) > 0));
            CHECK(signs == one_sign);
            CHECK(agreements == one_agreement);
            CHECK(results == one_result);
        }
    }
}

TEST_CASE("a quaternion is a unit one to the last bits, however long the sum was, on every instruction set") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        for (const float scale : {1e-5F, 0.3F, 0.74F, 0.742F, 0.8F, 0.9F, 1.0F, 1.009F, 1.01F, 1e5F}) {
            AlignedFloats rows = random_rotations(8);
            const AlignedFloats before = rows;
            for (float& value : rows) { value *= scale; }
            kernels::normalize({rows.data(), lanes}, lanes);
            CAPTURE(target, scale);
            for (std::size_t i = 0; i < rows.size(); ++i) { CHECK(rows[i] == Approx(before[i]).margin(3e-7)); }
        }
    }
}

TEST_CASE("hemispheres are chosen once, kept past half a turn, and follow a quaternion that changes its sign at once") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        // A lane turns from the one pose by ever more; every third begins on the other hemisphere.
        AlignedFloats below(4 * lanes, 0.0F), above(4 * lanes, 0.0F), hardly(lanes, 1e-7F);
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), result(lanes, 0);
        std::vector<std::int8_t> one_sign(lanes, 0), one_agreement(lanes, 0), one_turned(lanes, 0);
        for (std::size_t lane = 0; lane < lanes; ++lane) { below[3 * lanes + lane] = 1; }
        float flip = 1;
        for (int step = 0; step <= 60; ++step) {
            if (step == 30) { flip = -1; } // all quaternions of the upper pose change their sign
            const Quat turned = axis_angle({0, 0, 1}, 4.0 * step);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                const float own = flip * (lane % 3 == 0 ? -1.0F : 1.0F);
                above[2 * lanes + lane] = own * turned.z;
                above[3 * lanes + lane] = own * turned.w;
                kernels::remember({&one_sign[lane], &one_agreement[lane], &one_turned[lane]}, own * turned.w,
                                  hardly[lane]);
            }
            kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, hardly.data(),
                                     {sign.data(), agreement.data(), result.data()}, lanes);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                // By 240 degrees it has not come back the short way; it goes with a flip.
                CHECK(int(sign[lane]) == int(flip * (lane % 3 == 0 ? -1.0F : 1.0F)));
                CHECK(int(sign[lane]) == int(one_sign[lane]));
                CHECK(int(agreement[lane]) == int(one_agreement[lane]));
                CHECK(int(result[lane]) == int(one_turned[lane]));
            }
        }
    }
}

TEST_CASE(
    "covered wholly or not at all the nearer side is chosen anew, and no quaternion that is shown turns its sign") {
    for (const std::string& target : kernels::runnable_targets()) {
        const PinnedTarget pinned(target);
        CAPTURE(target);
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), result(lanes, 0);
        AlignedFloats above(4 * lanes, 0.0F), below(4 * lanes, 0.0F), weights(lanes);
        std::fill_n(above.begin() + 3 * lanes, lanes, 1.0F);
        const auto show = [&](float weight, double turned) {
            const Quat q = axis_angle({0, 0, 1}, turned);
            std::fill_n(weights.begin(), lanes, weight);
            std::fill_n(below.begin(), 4 * lanes, 0.0F);
            std::fill_n(below.begin() + 2 * lanes, lanes, q.z);
            std::fill_n(below.begin() + 3 * lanes, lanes, q.w);
            kernels::blend_rotations({below.data(), lanes}, {above.data(), lanes}, weights.data(),
                                     {sign.data(), agreement.data(), result.data()}, lanes);
            return at(below, 5);
        };
        // What is below turns to 300 degrees while it is covered.
        (void)show(0.4F, 0);
        Quat before = show(1, 0);
        for (double turned = 0; turned <= 300; turned += 10) {
            const Quat now = show(1, turned);
            CHECK(dot(now, before) > 0.99F);
            before = now;
        }
        // Laid bare it goes the sixty degrees, not the three hundred.
        for (float weight = 0.99F; weight > 0; weight -= 0.05F) {
            const Quat now = show(weight, 300);
            CHECK(degrees_between(now, before) < 4);
            CHECK(dot(now, before) > 0.9F);
            before = now;
        }
        CHECK(degrees_between(show(0, 300), axis_angle({0, 0, 1}, 300)) < 1e-4);
    }
}
