/// What only some compilers understand, behind checks.
#pragma once

#include <cstddef>
#include <cstring>

#if defined(__GNUC__)
#define GAIT_NOINLINE __attribute__((noinline))
#define GAIT_COLD __attribute__((noinline, cold))
#define GAIT_FLATTEN __attribute__((noinline, flatten))
#define GAIT_INLINE __attribute__((always_inline)) inline
#elif defined(_MSC_VER)
#define GAIT_NOINLINE __declspec(noinline)
#define GAIT_COLD __declspec(noinline)
#define GAIT_FLATTEN __declspec(noinline)
#define GAIT_INLINE __forceinline
#else
#define GAIT_NOINLINE
#define GAIT_COLD
#define GAIT_FLATTEN
#define GAIT_INLINE inline
#endif

namespace gait::detail {

/// sum += a * of_a + b * of_b, four numbers each. Left alone, the compiler takes them one by one where it puts this
/// into its caller, and so does Highway where it must not ask which processor this is.
inline void add_four(float* sum, const float* a, float of_a, const float* b, float of_b) {
#if defined(__GNUC__)
    using Four [[gnu::vector_size(16)]] = float;
    Four first, second, all;
    std::memcpy(&first, a, sizeof first);
    std::memcpy(&second, b, sizeof second);
    std::memcpy(&all, sum, sizeof all);
    all += of_a * first + of_b * second;
    std::memcpy(sum, &all, sizeof all);
#else
    for (std::size_t i = 0; i < 4; ++i) { sum[i] += of_a * a[i] + of_b * b[i]; }
#endif
}

} // namespace gait::detail
