#include "motion/motion.hpp"

#include <algorithm>

namespace gait {
namespace {

class Weigher {
public:
    Weigher(const MotionTable& table, const BlendInputs& inputs, Playhead* playheads)
        : table_(table), inputs_(inputs), playheads_(playheads) {}

    // Recursion is bounded by `deepest_motion`, which the compile step enforces.
    void weigh_part(std::uint32_t index, double weight) {
        if (!(weight > 0)) { return; }
        const MotionPart& part = table_.parts[index];
        switch (part.kind) {
        case PartKind::leaf:
            playheads_[part.leaf].weight += float(weight);
            return;
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

private:
    void weigh_shared(const MotionPart& part, double weight) {
        for (std::uint32_t i = 0; i < part.count; ++i) {
            weigh_part(table_.points[part.first + i].part, weight / part.count);
        }
    }

    void weigh_line(const MotionPart& part, double weight) {
        const std::span points{table_.points.data() + part.first, part.count};
        const auto x = double(inputs_.values[part.parameter]);
        auto above =
            std::upper_bound(points.begin(), points.end(), x, [](double v, const BlendPoint& p) { return v < p.at; });
        if (part.wraps && (above == points.begin() || above == points.end())) {
            const BlendPoint &low = points.back(), &high = points.front();
            const double gap = high.at + 360 - low.at;
            const double share = (above == points.begin() ? x + 360 - low.at : x - low.at) / gap;
            if (!(gap > 0) || share <= 0) { return weigh_part(low.part, weight); }
            weigh_part(low.part, weight * (1 - share));
            return weigh_part(high.part, weight * share);
        }
        if (above == points.begin()) { return weigh_part(points.front().part, weight); }
        const BlendPoint& low = *(above - 1);
        if (above == points.end() || x == low.at) { return weigh_part(low.part, weight); }
        const double share = (x - low.at) / (above->at - low.at);
        weigh_part(low.part, weight * (1 - share));
        weigh_part(above->part, weight * share);
    }

    void weigh_plane(const MotionPart& part, double weight) {
        SiteShares shares;
        table_.planes[part.plane].weigh(place_in_plane(part, inputs_), shares);
        for (std::size_t i = 0; i < shares.count; ++i) {
            weigh_part(table_.points[part.first + shares.site[i]].part, weight * shares.share[i]);
        }
    }

    [[nodiscard]] double term(const MixEntry& entry) const {
        return entry.term == no_index ? 1.0 : double(inputs_.terms[entry.term]);
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
    Playhead* playheads_;
};

} // namespace

PlanePoint place_in_plane(const MotionPart& part, const BlendInputs& inputs) {
    if (part.cursor != no_index) { return inputs.cursors[part.cursor]; }
    return {part.scale_x * double(inputs.values[part.parameter]), part.scale_y * double(inputs.values[part.second])};
}

void weigh(const MotionTable& table, const Motion& motion, const BlendInputs& inputs, Playhead* playheads) {
    for (std::uint32_t leaf = 0; leaf < motion.leaf_count; ++leaf) { playheads[leaf].weight = 0; }
    Weigher(table, inputs, playheads).weigh_part(motion.root, 1);
    // Less than this turns no joint by a thousandth of a degree, and would cost a whole clip.
    constexpr float least = 1e-6F;
    for (std::uint32_t leaf = 0; leaf < motion.leaf_count; ++leaf) {
        if (playheads[leaf].weight < least) { playheads[leaf].weight = 0; }
    }
}

PlanePoint carried_by(std::span<const Leaf> leaves, const Playhead* playheads, std::uint16_t pace_group) {
    double cadence = 0, synced = 0;
    PlanePoint stride, by_itself;
    for (std::size_t l = 0; l < leaves.size(); ++l) {
        const Leaf& leaf = leaves[l];
        const auto weight = double(playheads[l].weight), pace = double(playheads[l].pace);
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

} // namespace gait
