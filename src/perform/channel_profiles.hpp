/// How much the parts of a mix count from joint to joint.
#pragma once

#include "character/character_data.hpp"

#include <algorithm>
#include <array>
#include <functional>
#include <span>

namespace gait::detail {

/// Whether a channel counts in full wherever the one that holds it does: it has no mask, or all that would be mixed in
/// counts nothing now.
[[nodiscard]] inline bool is_whole(const Channel& channel, std::span<const MixEntry> entries, const float* terms) {
    if (entries.empty()) { return channel.mask == no_index; }
    return channel.rest && entries.front().term == no_index &&
           std::all_of(entries.begin() + 1, entries.end(),
                       [&](const MixEntry& entry) { return entry.term != no_index && terms[entry.term] == 0; });
}

/// How the weights of a motion's channels differ from joint to joint of a window. A channel costs something only when
/// it is asked for, and differs.
class ChannelProfiles {
public:
    ChannelProfiles(const CharacterData& data, const PerformerBlock& block, const Instance& instance, Window window)
        : data_(data), channels_(data.motions.channels_of(data.motions.motions[data.states[instance.state].motion])),
          terms_(block.terms(instance)), window_(window) {}

    /// Null where it counts alike on the whole body. It lasts as long as this does; a mask alone, as the character.
    [[nodiscard]] const float* of(std::uint8_t channel) {
        if (channel == 0) { return nullptr; }
        const std::size_t c = channel - 1U;
        if ((known_ & (std::uint64_t{1} << c)) == 0) {
            known_ |= std::uint64_t{1} << c;
            profiles_[c] = made(c);
        }
        return profiles_[c];
    }

    /// Whether a profile that `of` gave goes with this.
    [[nodiscard]] bool is_own(const float* profile) const {
        const std::less<> before;
        return !before(profile, rows_.front().data()) &&
               before(profile, rows_.front().data() + rows_.size() * window_lanes);
    }

private:
    const float* made(std::size_t c) {
        const Channel& channel = channels_[c];
        const float* parent = of(channel.parent);
        const std::span entries(data_.motions.entries.data() + channel.first_entry, channel.entry_count);
        if (is_whole(channel, entries, terms_)) { return parent; }
        if (entries.empty() && parent == nullptr) { return data_.masks[channel.mask].data() + window_.first; }
        std::array<float, window_lanes>& row = rows_[c];
        for (std::size_t lane = 0; lane < window_.lanes; ++lane) {
            const float own = share_of(channel, entries, terms_, [&](std::uint16_t index) {
                return index == no_index ? 1.0F : data_.masks[index][window_.first + lane];
            });
            row[lane] = parent == nullptr ? own : own * parent[lane];
        }
        return row.data();
    }

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

    const CharacterData& data_;
    std::span<const Channel> channels_;
    const float* terms_;
    Window window_;
    std::uint64_t known_ = 0;                                                             ///< a bit a channel
    std::array<const float*, most_channels> profiles_;                                    // NOLINT: where known
    alignas(cache_line) std::array<std::array<float, window_lanes>, most_channels> rows_; // NOLINT: where made
};

} // namespace gait::detail
