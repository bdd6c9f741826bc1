#include "character/small_rows.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace gait::detail::small_rows {
namespace {

/// Reads numbers, and bits, one after another.
class Bits {
public:
    explicit Bits(std::span<const std::byte> bytes) : bytes_(bytes) {}
    [[nodiscard]] bool failed() const { return failed_; }
    [[nodiscard]] std::size_t left() const { return bytes_.size() - at_; }

    template <typename Value> Value number() {
        Value value{};
        if (left() < sizeof value) {
            failed_ = true;
            return value;
        }
        std::memcpy(&value, bytes_.data() + at_, sizeof value);
        at_ += sizeof value;
        return value;
    }
    std::uint32_t bits(unsigned count) {
        while (held_ < count) {
            rest_ |= std::uint64_t(number<std::uint8_t>()) << held_;
            held_ += 8;
        }
        const auto value = std::uint32_t(rest_ & ((std::uint64_t{1} << count) - 1));
        rest_ >>= count;
        held_ -= count;
        return value;
    }
    /// What is left of a byte is nothing.
    void next_byte() { rest_ = held_ = 0; }

private:
    std::span<const std::byte> bytes_;
    std::size_t at_ = 0;
    std::uint64_t rest_ = 0;
    unsigned held_ = 0;
    bool failed_ = false;
};

/// The whole rotation by what was kept of it.
std::array<float, 4> whole(std::array<float, 4> part, std::uint8_t left_out) {
    float square = 0;
    for (std::size_t c = 0; c < 4; ++c) { square += c == left_out % 4U && left_out < 8 ? 0 : part[c] * part[c]; }
    if (left_out < 8) {
        const float rest = std::sqrt(std::max(0.0F, 1 - square));
        part[left_out % 4U] = left_out >= 4 ? -rest : rest;
        return part;
    }
    return part;
}

} // namespace

void frames_of(std::span<const std::array<float, 4>> keys, std::size_t step, std::uint8_t left_out,
               std::span<std::array<float, 4>> out) {
    const std::size_t frames = out.size();
    for (std::size_t f = 0; f < frames; ++f) {
        const std::size_t k = std::min(f / step, keys.size() - 1), next = std::min(k + 1, keys.size() - 1);
        const std::size_t from = k * step, to = next + 1 == keys.size() ? frames - 1 : next * step;
        if (f == from || to <= from) {
            out[f] = whole(keys[f >= to && to > from ? next : k], left_out);
            continue;
        }
        // The last stretch may be shorter; its curve is drawn over the part of it that there is.
        const float u = float(f - from) / float(to - from), u2 = u * u, u3 = u2 * u;
        const std::size_t before = k == 0 ? k : k - 1, after = std::min(next + 1, keys.size() - 1);
        std::array<float, 4> at{};
        for (std::size_t c = 0; c < 4; ++c) {
            const float a = keys[k][c], b = keys[next][c];
            const float rise = (b - keys[before][c]) * (k == 0 ? 1.0F : 0.5F),
                        fall = (keys[after][c] - a) * (next == after ? 1.0F : 0.5F);
            at[c] = (2 * u3 - 3 * u2 + 1) * a + (u3 - 2 * u2 + u) * rise + (3 * u2 - 2 * u3) * b + (u3 - u2) * fall;
        }
        out[f] = whole(at, left_out);
    }
}

std::optional<AlignedFloats> decode(std::span<const std::byte> bytes, std::uint64_t floats, Scratch& scratch,
                                    KeptMemory* memory) {
    Bits in(bytes);
    const std::size_t frames = in.number<std::uint32_t>(), lanes = in.number<std::uint32_t>();
    // A track takes a byte at least, and a still one makes as many numbers as there are frames: no more than a clip of
    // an hour may have.
    constexpr std::size_t most_frames = 1'000'000, most_floats = 200'000'000;
    if (in.failed() || frames < 1 || frames > most_frames || lanes > in.left() || frames * lanes > most_floats / 4 ||
        floats != frames * 4 * lanes) {
        return std::nullopt;
    }
    AlignedFloats out(std::size_t(floats), 0.0F, memory);
    const auto put = [&](std::size_t lane, std::size_t frame, const std::array<float, 4>& value) {
        for (std::size_t c = 0; c < 4; ++c) { out[(frame * 4 + c) * lanes + lane] = value[c]; }
    };
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        const auto track = in.number<std::uint8_t>();
        if (in.failed() || track > std::uint8_t(Track::keyed)) { return std::nullopt; }
        if (Track(track) == Track::keyed) {
            const std::size_t step = in.number<std::uint8_t>();
            const auto left_out = in.number<std::uint8_t>();
            if (step < 1 || left_out > none_left_out) { return std::nullopt; }
            std::array<Component, 4> components{};
            for (std::size_t c = 0; c < 4; ++c) {
                if (left_out < 8 && c == left_out % 4U) { continue; }
                const auto low = in.number<std::int16_t>(), high = in.number<std::int16_t>();
                const auto bits = in.number<std::uint8_t>();
                if (bits > most_bits || high < low) { return std::nullopt; }
                components[c] = component_of(low, high, bits);
            }
            scratch.keys.assign(key_count(frames, step), {});
            for (auto& key : scratch.keys) {
                for (std::size_t c = 0; c < 4; ++c) {
                    key[c] = components[c].low + components[c].step * float(in.bits(components[c].bits));
                }
                if (in.failed()) { return std::nullopt; }
            }
            in.next_byte();
            scratch.frames.resize(frames);
            frames_of(scratch.keys, step, left_out, scratch.frames);
            for (std::size_t f = 0; f < frames; ++f) { put(lane, f, scratch.frames[f]); }
            continue;
        }
        std::array<float, 4> value{0, 0, 0, Track(track) == Track::identity ? 1.0F : 0.0F};
        if (Track(track) == Track::still) {
            for (float& part : value) { part = in.number<float>(); }
        }
        if (in.failed()) { return std::nullopt; }
        for (std::size_t f = 0; f < frames; ++f) { put(lane, f, value); }
    }
    return in.left() == 0 ? std::optional(std::move(out)) : std::nullopt;
}

} // namespace gait::detail::small_rows
