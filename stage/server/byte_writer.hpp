/// Numbers as bytes, least first, one after another.
#pragma once

#include <bit>
#include <concepts>
#include <cstdint>
#include <cstring>
#include <string>

namespace gait::stage {

static_assert(std::endian::native == std::endian::little, "what goes over the wire is written as it lies in memory");

class ByteWriter {
public:
    template <std::integral Number> void whole(Number value) { append(&value, sizeof(value)); }
    void real(double value) {
        const auto shorter = float(value);
        append(&shorter, sizeof(shorter));
    }
    void exact(double value) { append(&value, sizeof(value)); }
    void append(const void* bytes, std::size_t count) { bytes_.append(static_cast<const char*>(bytes), count); }

    /// Puts a count where `at` says, which was written as 0 before its items.
    template <std::unsigned_integral Number> void set(std::size_t at, Number value) {
        std::memcpy(bytes_.data() + at, &value, sizeof(value));
    }
    [[nodiscard]] std::size_t size() const { return bytes_.size(); }
    [[nodiscard]] std::string take() { return std::move(bytes_); }
    [[nodiscard]] const std::string& bytes() const { return bytes_; }

private:
    std::string bytes_;
};

} // namespace gait::stage
