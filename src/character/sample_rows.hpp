/// The numbers of a sampled clip: its own, or those of a pack that lies in memory as a file does.
#pragma once

#include "math/aligned.hpp"

#include <cstddef>
#include <span>
#include <utility>

namespace gait::detail {

/// Floats that begin on a cache line.
class SampleRows {
public:
    SampleRows() = default;
    /// Its own.
    explicit SampleRows(AlignedFloats floats) : own_(std::move(floats)) {}
    /// Those of somebody else, who keeps them for as long as this and every copy of it is used.
    [[nodiscard]] static SampleRows borrowed(std::span<const float> floats) {
        SampleRows rows;
        rows.borrowed_ = floats;
        return rows;
    }

    [[nodiscard]] const float* data() const { return own_.empty() ? borrowed_.data() : own_.data(); }
    [[nodiscard]] std::size_t size() const { return own_.empty() ? borrowed_.size() : own_.size(); }
    [[nodiscard]] std::span<const float> all() const { return {data(), size()}; }
    /// All of them anew, as its own.
    AlignedFloats& assign(std::size_t count, float value) {
        borrowed_ = {};
        own_.assign(count, value);
        return own_;
    }
    /// Its own, to be written.
    [[nodiscard]] float* own() { return own_.data(); }

private:
    AlignedFloats own_;
    std::span<const float> borrowed_;
};

} // namespace gait::detail
