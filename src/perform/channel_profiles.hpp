/// How much the parts of a mix count from joint to joint.
#pragma once

#include "character/character_data.hpp"

#include <algorithm>
#include <array>
#include <span>

namespace gait::detail {

/// How the weights of a motion's channels differ from joint to joint of a window.
class ChannelProfiles {
public:
    ChannelProfiles(const CharacterData& data, const PerformerBlock& block, const Instance& instance, Window window) {
        const MotionTable& table = data.motions;
        const auto channels = table.channels_of(table.motions[data.states[instance.state].motion]);
        const float* terms = block.terms(instance);
        for (std::size_t c = 0; c < channels.size(); ++c) {
            const Channel& channel = channels[c];
            const std::span entries(table.entries.data() + channel.first_entry, channel.entry_count);
            for (std::size_t lane = 0; lane < window.lanes; ++lane) {
                const float own = share_of(channel, entries, terms, [&](std::uint16_t index) {
                    return index == no_index ? 1.0F : data.masks[index][window.first + lane];
                });
                rows_[c][lane] = channel.parent == 0 ? own : own * rows_[channel.parent - 1U][lane];
            }
        }
    }

    /// Null for the whole body.
    [[nodiscard]] const float* of(std::uint8_t channel) const {
        return channel == 0 ? nullptr : rows_[channel - 1U].data();
    }

private:
    /// The part of a channel beside the others of its mix.
    template <typename Mask>
    static float share_of(const Channel& channel, std::span<const MixEntry> entries, const float* terms, Mask mask) {
        if (entries.empty()) { return mask(channel.mask); }
        float others = 0;
        for (const MixEntry& entry : entries.subspan(1)) {
            others += (entry.term == no_index ? 1.0F : terms[entry.term]) * mask(entry.mask);
        }
        const MixEntry& lowest = entries.front();
        const float first = lowest.term == no_index ? std::max(0.0F, 1 - others) : terms[lowest.term];
        const float all = first + others;
        const float own = channel.rest ? first + std::max(0.0F, 1 - all) : mask(channel.mask);
        return own / std::max(1.0F, all);
    }

    alignas(cache_line) std::array<std::array<float, window_lanes>, most_channels> rows_; // NOLINT: as many as channels
};

} // namespace gait::detail
