#include "character/motion.hpp"

#include "character/layout.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

class Weigher {
public:
    Weigher(const MotionTable& table, const BlendInputs& inputs, LeafWeights& leaves)
        : table_(table), inputs_(inputs), leaves_(leaves) {}

    // Recursion is bounded by `deepest_motion`, which the compile step enforces.
    void weigh_part(std::uint32_t index, double weight) {
        if (!(weight > 0)) { return; }
        const MotionPart& part = table_.parts[index];
        switch (part.kind) {
        case PartKind::leaf:
            return leaves_.add(part.leaf, float(weight));
        case PartKind::line:
            return weigh_line(part, weight);
        case PartKind::plane:
            return weigh_plane(part, weight);
        case PartKind::mix:
            return weigh_mix(part, weight);
        case PartKind::add:
            return weigh_add(part, weight);
        case PartKind::shared:
            return weigh_shared(part, weight);
        }
    }

    [[nodiscard]] const Carried& carried() const { return carried_; }

private:
    void weigh_shared(const MotionPart& part, double weight) {
        for (std::uint32_t i = 0; i < part.count; ++i) {
            weigh_part(table_.points[part.first + i].part, weight / part.count);
        }
    }

    void weigh_line(const MotionPart& part, double weight) {
        SiteShares shares;
        find_shares(part, {0, inputs_.value(part.parameter)}, shares, [&](PlanePoint place) {
            shares.count = 0;
            for (const LineShare& of : shares_on_line(table_, part, place.y)) { shares.add(of.point, of.share); }
        });
        weigh_points(part, shares, weight);
    }

    void weigh_plane(const MotionPart& part, double weight) {
        SiteShares shares;
        find_shares(part, place_in_plane(part, inputs_), shares,
                    [&](PlanePoint place) { table_.planes[part.plane].weigh(place, shares); });
        weigh_points(part, shares, weight);
    }

    /// The shares at `asked`, as `share_at(place)` sets them. Where pace is kept, `asked` is the velocity wanted, and
    /// the shares are those of a place p at which the blend, played at a pace r, really goes there:
    ///
    ///     r (p + c(p)) = asked,   r = max(slowest, sqrt(r (1 - s(p))))
    ///
    /// c is what the blend's velocity differs by from the mean of its clips' (`CarriedTable::correction`), s the share
    /// of its clips that stand. So between standing and walking, half of what is missing in speed is taken from the
    /// steps' length, by blending, and half from their rate: r comes to 1 - s. Both are solved together by putting the
    /// last values in on the right. That converges, as each round shrinks an error: the root halves it in r, and c
    /// changes by a few percent of what p does. Four rounds leave less than a millimetre a second; once one changes
    /// next to nothing, the rest are left out.
    template <typename ShareAt>
    void find_shares(const MotionPart& part, PlanePoint asked, const SiteShares& shares, ShareAt share_at) {
        share_at(asked);
        if (part.carried == no_index) { return; }
        const CarriedTable& carried = table_.carried[part.carried];
        const double slowest = table_.pace_groups[part.pace_group - 1U].slowest;
        constexpr int rounds = 4;
        constexpr double next_to_nothing = 2e-5; // metres a second
        PlanePoint last = asked;
        double pace = 1;
        for (int round = 0; round < rounds; ++round) {
            pace = std::max(slowest, std::sqrt(pace * (1 - carried.standing_share(shares))));
            const PlanePoint off = carried.correction(shares);
            const PlanePoint next{asked.x / pace - off.x, asked.y / pace - off.y}, way = next - last;
            if (dot(way, way) < next_to_nothing * next_to_nothing) { break; }
            share_at(next);
            last = next;
        }
        if (carried_.count == carried_.groups.size()) { return; }
        const PlanePoint velocity = carried.velocity(shares);
        carried_.groups[carried_.count++] = {part.pace_group, velocity.x, velocity.y};
    }

    void weigh_points(const MotionPart& part, const SiteShares& shares, double weight) {
        const BlendPoint* points = table_.points.data() + part.first;
        for (std::size_t i = 0; i < shares.count; ++i) {
            const std::uint32_t index = points[shares.site[i]].part;
            const MotionPart& point = table_.parts[index];
            const double own = weight * shares.share[i];
            if (point.kind != PartKind::leaf) {
                weigh_part(index, own);
            } else if (own > 0) {
                leaves_.add(point.leaf, float(own));
            }
        }
    }

    [[nodiscard]] double term(const MixEntry& entry) const {
        return entry.term == no_index ? 1.0 : inputs_.term(entry.term);
    }

    void weigh_mix(const MotionPart& part, double weight) {
        const std::span entries{table_.entries.data() + part.first, part.count};
        // With masks the channels do the dividing, joint by joint.
        if (entries.front().channel != 0) {
            for (const MixEntry& entry : entries) {
                weigh_part(entry.part, &entry == &entries.front() ? weight : weight * term(entry));
            }
            return;
        }
        double others = 0;
        for (const MixEntry& entry : entries.subspan(1)) { others += term(entry); }
        const double first = entries.front().term == no_index ? std::max(0.0, 1 - others) : term(entries.front());
        // What is missing to 1 goes to the first.
        const double all = std::max(1.0, first + others);
        for (const MixEntry& entry : entries.subspan(1)) { weigh_part(entry.part, weight * term(entry) / all); }
        weigh_part(entries.front().part, weight * (first + std::max(0.0, 1 - first - others)) / all);
    }

    void weigh_add(const MotionPart& part, double weight) {
        const MixEntry* entries = table_.entries.data() + part.first;
        weigh_part(entries[0].part, weight);
        weigh_part(entries[1].part, weight * term(entries[1]));
    }

    const MotionTable& table_;
    const BlendInputs& inputs_;
    LeafWeights& leaves_;
    Carried carried_;
};

} // namespace

PlanePoint CarriedTable::correction(const SiteShares& shares) const {
    PlanePoint sum;
    for (std::size_t a = 0; a < shares.count; ++a) {
        for (std::size_t b = a + 1; b < shares.count; ++b) {
            const PlanePoint& pair = pair_corrections[shares.site[a] * own.size() + shares.site[b]];
            const double both = 4 * shares.share[a] * shares.share[b];
            sum = {sum.x + both * pair.x, sum.y + both * pair.y};
        }
    }
    return sum;
}

double CarriedTable::standing_share(const SiteShares& shares) const {
    constexpr double still = 0.05; // metres a second
    double sum = 0;
    for (std::size_t a = 0; a < shares.count; ++a) {
        const PlanePoint& point = own[shares.site[a]];
        if (point.x * point.x + point.y * point.y < still * still) { sum += shares.share[a]; }
    }
    return sum;
}

PlanePoint CarriedTable::velocity(const SiteShares& shares) const {
    PlanePoint sum = correction(shares);
    for (std::size_t a = 0; a < shares.count; ++a) {
        const PlanePoint& point = own[shares.site[a]];
        sum = {sum.x + shares.share[a] * point.x, sum.y + shares.share[a] * point.y};
    }
    return sum;
}

std::array<LineShare, 2> shares_on_line(const MotionTable& table, const MotionPart& line, double place) {
    const std::span points{table.points.data() + line.first, line.count};
    const auto above =
        std::upper_bound(points.begin(), points.end(), place, [](double v, const BlendPoint& p) { return v < p.at; });
    const auto high = std::uint32_t(above - points.begin()), last = line.count - 1;
    const auto between = [](std::uint32_t from, std::uint32_t to, double share) {
        return std::array{LineShare{from, 1 - share}, LineShare{to, share}};
    };
    if (high > 0 && high <= last) {
        return between(high - 1, high, (place - points[high - 1].at) / (points[high].at - points[high - 1].at));
    }
    if (!line.wraps) { return between(high == 0 ? 0 : last, 0, 0); }
    // On round, from the last point to the first.
    const double gap = points.front().at + 360 - points[last].at;
    const double gone = place - points[last].at + (high == 0 ? 360 : 0);
    return between(last, 0, gap > 0 ? std::clamp(gone / gap, 0.0, 1.0) : 0);
}

double BlendInputs::later_value(std::size_t parameter) const {
    const auto now = double(values[parameter]);
    const std::uint16_t smoothed = parameter < speeds->smoothed_of.size() ? speeds->smoothed_of[parameter] : no_index;
    return smoothed == no_index ? now : now + speeds->seconds * speeds->smoothed[smoothed].velocity;
}

PlanePoint BlendInputs::later_cursor(std::size_t index) const {
    const double* velocity = speeds->cursors[index].velocity;
    return {cursors[index].x + speeds->seconds * velocity[0], cursors[index].y + speeds->seconds * velocity[1]};
}

double BlendInputs::later_term(std::size_t index) const {
    const auto now = double(terms[index]);
    return speeds->terms == nullptr ? now : std::clamp(now + speeds->seconds * speeds->terms[index].velocity, 0.0, 1.0);
}

PlanePoint place_in_plane(const MotionPart& part, const BlendInputs& inputs) {
    if (part.cursor != no_index) { return inputs.cursor(part.cursor); }
    return {part.scale_x * inputs.value(part.parameter), part.scale_y * inputs.value(part.second)};
}

void LeafWeights::insert(std::uint16_t leaf, float weight) {
    std::size_t place = count_;
    while (place > 0 && leaves_[place - 1].leaf > leaf) { --place; }
    if (place > 0 && leaves_[place - 1].leaf == leaf) {
        leaves_[place - 1].weight += weight;
        return;
    }
    if (count_ == most_) { return; }
    for (std::size_t i = count_; i > place; --i) { leaves_[i] = leaves_[i - 1]; }
    leaves_[place] = {leaf, weight};
    ++count_;
}

void LeafWeights::drop_below(float least) {
    const auto kept = std::remove_if(leaves_.begin(), leaves_.begin() + std::ptrdiff_t(count_),
                                     [least](const LeafWeight& leaf) { return leaf.weight < least; });
    count_ = std::size_t(kept - leaves_.begin());
}

Carried weigh(const MotionTable& table, const Motion& motion, const BlendInputs& inputs, LeafWeights& leaves) {
    if (motion.nothing) { return {}; }
    Weigher weigher(table, inputs, leaves);
    weigher.weigh_part(motion.root, 1);
    leaves.drop_below(1e-6F); // less turns no joint by a thousandth of a degree, and would cost a whole clip
    return weigher.carried();
}

PlanePoint carried_by(std::span<const Leaf> leaves, std::span<const Playhead> playing, std::uint16_t pace_group) {
    double cadence = 0, synced = 0;
    PlanePoint stride, by_itself;
    for (const Playhead& playhead : playing) {
        const Leaf& leaf = leaves[playhead.leaf];
        const auto weight = double(playhead.weight), pace = double(playhead.pace);
        if (leaf.pace_group != pace_group || !(weight > 0) || leaf.additive != no_index) { continue; }
        if (!leaf.synced || !(leaf.rate > 0)) {
            by_itself = {by_itself.x + weight * pace * leaf.speed_right,
                         by_itself.y + weight * pace * leaf.speed_ahead};
            continue;
        }
        const double strides_a_second = leaf.rate * leaf.strides;
        synced += weight;
        cadence += weight * pace * strides_a_second;
        stride = {stride.x + weight * leaf.speed_right / strides_a_second,
                  stride.y + weight * leaf.speed_ahead / strides_a_second};
    }
    if (synced > 0) { cadence /= synced; }
    return {by_itself.x + cadence * stride.x, by_itself.y + cadence * stride.y};
}

} // namespace gait::detail
