/// What only some compilers understand, behind checks.
#pragma once

#if defined(__GNUC__)
#define GAIT_NOINLINE __attribute__((noinline))
#define GAIT_COLD __attribute__((noinline, cold))
#elif defined(_MSC_VER)
#define GAIT_NOINLINE __declspec(noinline)
#define GAIT_COLD __declspec(noinline)
#else
#define GAIT_NOINLINE
#define GAIT_COLD
#endif
