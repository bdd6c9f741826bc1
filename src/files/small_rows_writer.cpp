#include "files/small_rows_writer.hpp"

#include "character/small_rows.hpp"
#include "math/rotations.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

namespace gait::detail {
namespace {

using small_rows::Component;
using small_rows::Track;
using Values = std::vector<std::array<float, 4>>; ///< [frame or key][component]

class Writer {
public:
    template <typename Value> void number(Value value) {
        const auto raw = std::as_bytes(std::span(&value, 1));
        bytes.insert(bytes.end(), raw.begin(), raw.end());
    }
    void bits(std::uint32_t value, unsigned count) {
        rest_ |= std::uint64_t(value) << held_;
        for (held_ += count; held_ >= 8; held_ -= 8, rest_ >>= 8) { number(std::uint8_t(rest_)); }
    }
    void next_byte() {
        if (held_ > 0) { number(std::uint8_t(rest_)); }
        rest_ = held_ = 0;
    }
    std::vector<std::byte> bytes;

private:
    std::uint64_t rest_ = 0;
    unsigned held_ = 0;
};

/// A track as it may be written.
struct Keyed {
    std::size_t step = 1;
    std::uint8_t left_out = small_rows::none_left_out;
    std::array<std::int16_t, 4> low{}, high{};
    std::array<unsigned, 4> bits{};
    std::vector<std::array<std::uint32_t, 4>> numbers; ///< [key]
    Values shown;                                      ///< [frame] as it will be read

    [[nodiscard]] std::size_t cost() const {
        return numbers.size() * std::size_t(std::accumulate(bits.begin(), bits.end(), 0U));
    }
};

/// The component that may be left out: it is great all along, and of one sign.
std::uint8_t left_out_of(const Values& frames) {
    for (std::size_t c = 4; c-- > 0;) {
        constexpr float great = 0.3F;
        const auto is = [&](float sign) {
            return std::all_of(frames.begin(), frames.end(), [&](const auto& q) { return sign * q[c] > great; });
        };
        if (is(1)) { return std::uint8_t(c); }
        if (is(-1)) { return std::uint8_t(c + 4); }
    }
    return small_rows::none_left_out;
}

/// With keys so many frames apart, components to within `fine`.
Keyed keyed(const Values& frames, std::size_t step, std::uint8_t left_out, float fine) {
    Keyed track;
    track.step = step;
    track.left_out = left_out;
    Values keys;
    const std::size_t count = small_rows::key_count(frames.size(), step);
    for (std::size_t k = 0; k < count; ++k) { keys.push_back(frames[std::min(k * step, frames.size() - 1)]); }
    keys.back() = frames.back();
    std::array<Component, 4> components{};
    for (std::size_t c = 0; c < 4; ++c) {
        if (left_out < 8 && c == left_out % 4U) { continue; }
        const auto [low, high] =
            std::minmax_element(keys.begin(), keys.end(), [&](const auto& a, const auto& b) { return a[c] < b[c]; });
        track.low[c] = std::int16_t(std::floor((*low)[c] / small_rows::range_unit));
        track.high[c] = std::int16_t(std::ceil((*high)[c] / small_rows::range_unit));
        const float range = float(track.high[c] - track.low[c]) * small_rows::range_unit;
        while (track.bits[c] < small_rows::most_bits &&
               range / float((1U << track.bits[c]) - (track.bits[c] > 0 ? 1 : 0)) > 2 * fine) {
            ++track.bits[c];
        }
        components[c] = small_rows::component_of(track.low[c], track.high[c], track.bits[c]);
    }
    Values as_read;
    for (const auto& key : keys) {
        auto& numbers = track.numbers.emplace_back();
        auto& read = as_read.emplace_back();
        for (std::size_t c = 0; c < 4; ++c) {
            if (components[c].bits > 0) {
                const float most = float((1U << components[c].bits) - 1);
                numbers[c] = std::uint32_t(
                    std::clamp(std::round((key[c] - components[c].low) / components[c].step), 0.0F, most));
            }
            read[c] = components[c].low + components[c].step * float(numbers[c]);
        }
    }
    track.shown.resize(frames.size());
    small_rows::frames_of(as_read, step, left_out, track.shown);
    return track;
}

class Packer {
public:
    explicit Packer(const RowsToPack& rows)
        : rows_(rows), joints_(rows.rig.joints.size()), frames_(rows.floats.size() / 4 / rows.lanes) {
        const std::vector<Transform> rest = model_space(rows.rig, rest_pose(rows.rig));
        levers_.assign(joints_, 0.05);
        for (std::size_t j = 0; j < joints_; ++j) {
            for (int up = rows.rig.joints[j].parent; up >= 0; up = rows.rig.joints[std::size_t(up)].parent) {
                double& lever = levers_[std::size_t(up)];
                lever = std::max(lever, double(length(rest[j].translation - rest[std::size_t(up)].translation)));
            }
        }
    }

    SmallRows within(double tolerance) {
        SmallRows best;
        // Joints share what may be off: by how many, only the whole body tells.
        double share = 0.5;
        for (int round = 0; round < 12; ++round, share *= 0.6) {
            best = at(share * tolerance / 1000);
            if (best.worst_millimetres <= tolerance) { break; }
        }
        return best;
    }

private:
    [[nodiscard]] Values track(std::size_t lane) const {
        Values values(frames_);
        for (std::size_t f = 0; f < frames_; ++f) {
            for (std::size_t c = 0; c < 4; ++c) { values[f][c] = rows_.floats[(f * 4 + c) * rows_.lanes + lane]; }
        }
        return values;
    }

    /// With each joint off by so many metres at the end of what hangs on it.
    [[nodiscard]] SmallRows at(double metres) const {
        Writer out;
        out.number(std::uint32_t(frames_));
        out.number(std::uint32_t(rows_.lanes));
        std::vector<Values> shown;
        for (std::size_t lane = 0; lane < rows_.lanes; ++lane) {
            const Values frames = track(lane);
            const double lever = lane < joints_ ? levers_[lane] : 1;
            const double radians = metres / lever;
            write(frames, float(rows_.vectors ? radians : radians / 2), out, shown);
        }
        return {std::move(out.bytes), worst(shown)};
    }

    void write(const Values& frames, float fine, Writer& out, std::vector<Values>& shown) const {
        const auto& first = frames.front();
        float most = 0;
        for (const auto& frame : frames) {
            for (std::size_t c = 0; c < 4; ++c) { most = std::max(most, std::fabs(frame[c] - first[c])); }
        }
        if (most <= fine / 4) {
            const bool zero = first == std::array<float, 4>{}, identity = first == std::array<float, 4>{0, 0, 0, 1};
            out.number(std::uint8_t(zero ? Track::zero : identity ? Track::identity : Track::still));
            if (!zero && !identity) {
                for (const float part : first) { out.number(part); }
            }
            shown.emplace_back(frames.size(), first);
            return;
        }
        const std::uint8_t left_out = rows_.vectors ? std::uint8_t(small_rows::none_left_out) : left_out_of(frames);
        Keyed chosen;
        for (const std::size_t step : {1U, 2U, 3U, 4U, 6U, 8U}) {
            if (step > 1 && step + 1 >= frames.size()) { break; }
            // The wider apart keys are, the finer they must be.
            Keyed one = keyed(frames, step, left_out, step == 1 ? fine : fine / 2);
            const bool close = step == 1 || furthest(one.shown, frames) <= fine;
            if (close && (step == 1 || one.cost() < chosen.cost())) { chosen = std::move(one); }
        }
        out.number(std::uint8_t(Track::keyed));
        out.number(std::uint8_t(chosen.step));
        out.number(chosen.left_out);
        for (std::size_t c = 0; c < 4; ++c) {
            if (left_out < 8 && c == left_out % 4U) { continue; }
            out.number(chosen.low[c]);
            out.number(chosen.high[c]);
            out.number(std::uint8_t(chosen.bits[c]));
        }
        for (const auto& key : chosen.numbers) {
            for (std::size_t c = 0; c < 4; ++c) {
                if (chosen.bits[c] > 0) { out.bits(key[c], chosen.bits[c]); }
            }
        }
        out.next_byte();
        shown.push_back(std::move(chosen.shown));
    }

    static float furthest(const Values& a, const Values& b) {
        float most = 0;
        for (std::size_t f = 0; f < a.size(); ++f) {
            float square = 0;
            for (std::size_t c = 0; c < 4; ++c) { square += (a[f][c] - b[f][c]) * (a[f][c] - b[f][c]); }
            most = std::max(most, square);
        }
        return std::sqrt(most);
    }

    [[nodiscard]] Quat turn(const std::array<float, 4>& value) const {
        if (!rows_.vectors) { return normalized({value[0], value[1], value[2], value[3]}); }
        const Vec3 vector{value[0], value[1], value[2]};
        return axis_angle(vector, double(length(vector)) * degrees_per_radian);
    }
    /// The most that a joint is off in model space, millimetres.
    [[nodiscard]] double worst(const std::vector<Values>& shown) const {
        double most = 0;
        std::vector<Transform> meant = rest_pose(rows_.rig), is = meant;
        for (std::size_t f = 0; f < frames_; ++f) {
            for (std::size_t j = 0; j < joints_; ++j) {
                std::array<float, 4> wanted{};
                for (std::size_t c = 0; c < 4; ++c) { wanted[c] = rows_.floats[(f * 4 + c) * rows_.lanes + j]; }
                meant[j].rotation = turn(wanted);
                is[j].rotation = turn(shown[j][f]);
            }
            const auto a = model_space(rows_.rig, meant), b = model_space(rows_.rig, is);
            for (std::size_t j = 0; j < joints_; ++j) {
                most = std::max(most, 1000 * double(length(a[j].translation - b[j].translation)));
            }
        }
        return most;
    }

    const RowsToPack& rows_;
    std::size_t joints_, frames_;
    std::vector<double> levers_; ///< [joint] metres to the furthest joint that hangs on it
};

} // namespace

SmallRows make_small(const RowsToPack& rows, double tolerance) { return Packer(rows).within(tolerance); }

} // namespace gait::detail
