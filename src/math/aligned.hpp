/// Vectors of floats that begin on a cache line, as the kernels want them.
#pragma once

#include <cstddef>
#include <new>
#include <vector>

namespace gait::detail {

inline constexpr std::size_t cache_line = 64;
/// Joint rows are padded to this many lanes: the widest vector the kernels use.
inline constexpr std::size_t lane_padding = 16;

[[nodiscard]] constexpr std::size_t round_up(std::size_t count, std::size_t multiple) {
    return (count + multiple - 1) / multiple * multiple;
}

template <typename Value> struct CacheLineAllocator {
    using value_type = Value;
    CacheLineAllocator() = default;
    template <typename Other> CacheLineAllocator(const CacheLineAllocator<Other>& /*other*/) {}
    Value* allocate(std::size_t count) {
        return static_cast<Value*>(::operator new (count * sizeof(Value), std::align_val_t{cache_line}));
    }
    void deallocate(Value* memory, std::size_t /*count*/) { ::operator delete (memory, std::align_val_t{cache_line}); }
    template <typename Other> bool operator==(const CacheLineAllocator<Other>& /*other*/) const { return true; }
};

using AlignedFloats = std::vector<float, CacheLineAllocator<float>>;

} // namespace gait::detail
