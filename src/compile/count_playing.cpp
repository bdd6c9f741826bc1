#include "compile/count_playing.hpp"

#include <algorithm>
#include <vector>

namespace gait::detail {
namespace {

/// Counts the leaves that parts may give weight to, each part once.
class PlayingCount {
public:
    explicit PlayingCount(const MotionTable& table) : table_(table), known_(table.parts.size(), unknown) {}

    std::size_t of(std::uint32_t index) {
        if (known_[index] == unknown) { known_[index] = count(table_.parts[index]); }
        return known_[index];
    }

private:
    std::size_t count(const MotionPart& part) {
        const auto point = [&](std::size_t i) { return of(table_.points[part.first + i].part); };
        const auto sum_of = [&](const auto& range) {
            std::size_t sum = 0;
            for (const auto i : range) { sum += point(i); }
            return sum;
        };
        std::size_t most = 0;
        switch (part.kind) {
        case PartKind::leaf:
            return 1;
        case PartKind::line:
            for (std::size_t i = 0; i < part.count; ++i) {
                most = std::max(most, point(i) + (part.count > 1 ? point((i + 1) % part.count) : 0));
            }
            return most;
        case PartKind::plane: {
            const BlendPlane& plane = table_.planes[part.plane];
            for (std::size_t i = 0; i < part.count; ++i) {
                most = plane.method() == PlaneMethod::bands ? most + point(i) : std::max(most, point(i));
            }
            for (const Cell& cell : plane.cells()) { most = std::max(most, sum_of(cell)); }
            for (const auto& side : plane.rim()) { most = std::max(most, sum_of(side)); }
            return most;
        }
        case PartKind::mix:
        case PartKind::add:
            for (std::size_t i = 0; i < part.count; ++i) { most += of(table_.entries[part.first + i].part); }
            return most;
        case PartKind::shared:
            for (std::size_t i = 0; i < part.count; ++i) { most += point(i); }
            return most;
        }
        return most;
    }

    static constexpr auto unknown = std::size_t(-1);
    const MotionTable& table_;
    std::vector<std::size_t> known_;
};

} // namespace

std::size_t count_playing(const MotionTable& table, const Motion& motion) {
    return motion.nothing ? 0 : std::min<std::size_t>(motion.leaf_count, PlayingCount(table).of(motion.root));
}

} // namespace gait::detail
