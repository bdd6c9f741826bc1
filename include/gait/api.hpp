/// \file
/// What a shared library shows: everything else in it stays hidden.
#pragma once

#if defined(__GNUC__)
#define GAIT_API __attribute__((visibility("default")))
#else
#define GAIT_API
#endif
