#include "gait/math.hpp"
#include "perform/blend_batch.hpp"

#include <catch2/catch.hpp>

#include <array>
#include <random>
#include <vector>

using namespace gait;
using namespace gait::detail;

namespace {

constexpr std::size_t lanes = 32;

/// A clip of two frames, each joint anywhere.
SampledClip anywhere(unsigned seed, float size) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(0, size);
    SampledClip clip;
    clip.intervals = 1;
    clip.stride = lanes;
    for (float& value : clip.rotations.assign(2 * 4 * lanes, 0)) { value = normal(random); }
    return clip;
}

Quat at(const AlignedFloats& rows, std::size_t lane) {
    return {rows[lane], rows[lanes + lane], rows[2 * lanes + lane], rows[3 * lanes + lane]};
}

/// What a layer is made of, and what comes of it when it is summed one by one.
struct Layer {
    Layer(unsigned seed, std::size_t clip_count, std::size_t turn_count) {
        for (std::size_t c = 0; c < clip_count; ++c) { clips.push_back(anywhere(seed + unsigned(c), 1)); }
        for (std::size_t t = 0; t < turn_count; ++t) { turns.push_back(anywhere(seed + 1000 + unsigned(t), 0.05F)); }
    }

    [[nodiscard]] static Sample sample(const ClipFrames& clip, std::size_t index) {
        const float weight = 0.5F + 0.1F * float(index % 7), second = weight * 0.25F;
        return {&clip, 0, weight - second, second};
    }
    /// Every third clip counts otherwise from lane to lane.
    [[nodiscard]] static float factor(std::size_t index, std::size_t lane) {
        return index % 3 == 1 ? (lane % 2 == 0 ? -1.0F : 0.75F) : 1.0F;
    }
    [[nodiscard]] static float rest(std::size_t lane) { return 0.1F * float(lane); }

    void write(WindowProgram& program, bool with_rest) const {
        for (std::size_t c = 0; c < clips.size(); ++c) {
            float* factors = nullptr;
            if (c % 3 == 1) {
                program.make_room();
                factors = program.lane_numbers();
                for (std::size_t lane = 0; lane < lanes; ++lane) { factors[lane] = factor(c, lane); }
            }
            program.add(sample(ClipFrames(clips[c]), c), factors);
        }
        for (std::size_t t = 0; t < turns.size(); ++t) { program.add_turn(sample(ClipFrames(turns[t]), t), nullptr); }
        for (std::size_t lane = 0; with_rest && lane < lanes; ++lane) {
            program.more_quaternions()[3 * window_lanes + lane] += rest(lane);
        }
    }
    [[nodiscard]] Quat expected(std::size_t lane, bool with_rest) const {
        const auto sum_of = [&](const std::vector<SampledClip>& of, bool with_factors) {
            std::array<double, 4> sum{};
            for (std::size_t c = 0; c < of.size(); ++c) {
                const Sample s = sample(ClipFrames(of[c]), c);
                const double f = with_factors ? double(factor(c, lane)) : 1;
                for (std::size_t row = 0; row < 4; ++row) {
                    sum[row] += f * (double(s.first_weight) * double(of[c].frame(0)[row * lanes + lane]) +
                                     double(s.second_weight) * double(of[c].frame(1)[row * lanes + lane]));
                }
            }
            return sum;
        };
        const auto q = sum_of(clips, true), r = sum_of(turns, false);
        const Quat blended =
            normalized(Quat{float(q[0]), float(q[1]), float(q[2]), float(q[3] + (with_rest ? double(rest(lane)) : 0))});
        const Vec3 vector{float(r[0]), float(r[1]), float(r[2])};
        const auto angle = double(length(vector));
        return angle > 0 ? axis_angle(vector, angle * degrees_per_radian) * blended : blended;
    }

    std::vector<SampledClip> clips, turns;
};

void check_same(const Quat& is, const Quat& wanted) {
    CHECK(is.x == Approx(wanted.x).margin(2e-5));
    CHECK(is.y == Approx(wanted.y).margin(2e-5));
    CHECK(is.z == Approx(wanted.z).margin(2e-5));
    CHECK(is.w == Approx(wanted.w).margin(2e-5));
}

} // namespace

TEST_CASE("a layer of more clips than a program has room for sums as one of a few does") {
    for (const auto& [clips, turns] :
         {std::pair<std::size_t, std::size_t>{2, 0}, {5, 2}, {47, 8}, {48, 9}, {200, 30}}) {
        for (const bool with_rest : {false, true}) {
            CAPTURE(clips, turns, with_rest);
            const Layer layer(7, clips, turns);
            AlignedFloats pose(4 * lanes, 9.0F);
            WindowProgram program({0, lanes}, {pose.data(), lanes});
            program.begin({0, lanes});
            layer.write(program, with_rest);
            program.run();
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                check_same(at(pose, lane), layer.expected(lane, with_rest));
            }
        }
    }
}

TEST_CASE("layers of a program do not mix, however many they are and whatever they hold") {
    const Layer lowest(20, 3, 1), many(400, 60, 10), few(90, 2, 0);
    const std::array<const Layer*, 3> kinds{&many, &few, &lowest};
    // The first ask for no numbers, and are more than there is room for.
    const auto factor = [](std::size_t clip) { return clip < 50 ? 1.0F : 0.5F; };
    for (const std::size_t upper : {1U, 3U, 12U}) {
        CAPTURE(upper);
        AlignedFloats pose(4 * lanes, 9.0F);
        std::vector<std::int8_t> sign(lanes, 0), agreement(lanes, 0), result(lanes, 0);
        std::uint8_t far_sides = 0;
        WindowProgram program({0, lanes}, {pose.data(), lanes});
        program.begin({0, lanes});
        lowest.write(program, true);
        for (std::size_t l = 0; l < upper; ++l) {
            // Each covers the second half of the lanes; what it leaves of the first half stays.
            std::fill(sign.begin(), sign.end(), std::int8_t(1));
            std::fill(result.begin(), result.end(), std::int8_t(1));
            program.begin({16, 16});
            float* weights = program.lane_numbers();
            std::fill_n(weights, 16, 1.0F);
            program.cover(weights, {sign.data() + 16, agreement.data() + 16, result.data() + 16}, far_sides);
            const Layer& own = *kinds[l % kinds.size()];
            for (std::size_t c = 0; c < own.clips.size(); ++c) {
                float* factors = nullptr;
                if (factor(c) < 1) {
                    program.make_room();
                    factors = program.lane_numbers();
                    std::fill_n(factors, 16, factor(c));
                }
                program.add(Layer::sample(ClipFrames(own.clips[c]), c), factors);
            }
            if (l % 2 == 1) { program.more_quaternions()[3 * window_lanes] += 50; } // of the part's first lane
        }
        program.run();
        for (std::size_t lane = 0; lane < 16; ++lane) { check_same(at(pose, lane), lowest.expected(lane, true)); }
        const std::size_t last = upper - 1;
        const Layer& top = *kinds[last % kinds.size()];
        for (std::size_t lane = 16; lane < lanes; ++lane) {
            Quat sum{0, 0, 0, lane == 16 && last % 2 == 1 ? 50.0F : 0.0F};
            for (std::size_t c = 0; c < top.clips.size(); ++c) {
                const Sample s = Layer::sample(ClipFrames(top.clips[c]), c);
                const float* from = top.clips[c].frame(0) + lane;
                const float* to = top.clips[c].frame(1) + lane;
                const auto row = [&](std::size_t r) {
                    return factor(c) * (s.first_weight * from[r * lanes] + s.second_weight * to[r * lanes]);
                };
                sum = {sum.x + row(0), sum.y + row(1), sum.z + row(2), sum.w + row(3)};
            }
            const Quat is = at(pose, lane), wanted = normalized(sum);
            CHECK(std::fabs(dot(is, wanted)) == Approx(1).margin(1e-5));
        }
    }
}
