#include "clip/register_loop.hpp"

#include <cmath>

namespace gait::detail {
std::vector<double> register_loop(const std::vector<JointCloud>& clip, const std::vector<JointCloud>& stride,
                                  int strides) {
    const std::size_t places = clip.size(), phases = stride.size();
    std::vector<double> apart(places * phases); // squared, [phase][place]
    for (std::size_t p = 0; p < phases; ++p) {
        for (std::size_t i = 0; i < places; ++i) { apart[p * places + i] = squared_distance(stride[p], clip[i]); }
    }
    const auto apart_at = [&](std::size_t phase, double place) {
        const double at = (place - std::floor(place)) * double(places);
        const auto before = std::size_t(at);
        const double part = at - double(before);
        const double* row = apart.data() + phase * places;
        return row[before % places] * (1 - part) + row[(before + 1) % places] * part;
    };
    constexpr double least_half = 0.3, half_step = 0.02;
    constexpr int halves = 21;
    double best = -1, best_start = 0, best_half = 0.5;
    for (std::size_t i = 0; i * std::size_t(strides) < places; ++i) {
        const double start = double(i) / double(places);
        for (int h = 0; h < halves; ++h) {
            const double half = least_half + half_step * h;
            double sum = 0;
            for (int s = 0; s < strides; ++s) {
                for (std::size_t p = 0; p < phases; ++p) {
                    const double phase = double(p) / double(phases);
                    const double within = phase < 0.5 ? 2 * phase * half : half + (2 * phase - 1) * (1 - half);
                    sum += apart_at(p, start + (s + within) / strides);
                }
            }
            if (best < 0 || sum < best) {
                best = sum;
                best_start = start;
                best_half = half;
            }
        }
    }
    std::vector<double> found;
    for (int s = 0; s < strides; ++s) {
        found.push_back(best_start + s / double(strides));
        found.push_back(best_start + (s + best_half) / strides);
    }
    return found;
}

} // namespace gait::detail
