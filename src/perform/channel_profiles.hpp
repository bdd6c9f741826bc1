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
        if (entries.empty()) {
            const float* mask = mask_of(channel.mask);
            for (std::size_t lane = 0; lane < window_.lanes; ++lane) { row[lane] = mask == nullptr ? 1 : mask[lane]; }
        } else {
            fill_share(channel, entries, row.data());
        }
        if (parent != nullptr) {
            for (std::size_t lane = 0; lane < window_.lanes; ++lane) { row[lane] *= parent[lane]; }
        }
        return row.data();
    }

    /// Null where it is 1 everywhere.
    [[nodiscard]] const float* mask_of(std::uint16_t mask) const {
        return mask == no_index ? nullptr : data_.masks[mask].data() + window_.first;
    }

    /// The part of a channel beside the others of its mix, on each lane. In loops that go over lanes alone.
    void fill_share(const Channel& channel, std::span<const MixEntry> entries, float* row) const {
        const std::size_t lanes = window_.lanes;
        std::array<float, window_lanes> others; // NOLINT: filled as far as it is read
        std::fill_n(others.data(), lanes, 0.0F);
        for (const MixEntry& entry : entries.subspan(1)) {
            const float term = entry.term == no_index ? 1.0F : terms_[entry.term];
            const float* mask = mask_of(entry.mask);
            for (std::size_t lane = 0; lane < lanes; ++lane) {
                others[lane] += mask == nullptr ? term : term * mask[lane];
            }
        }
        const MixEntry& lowest = entries.front();
        const bool takes_rest = lowest.term == no_index;
        const float term = takes_rest ? 0 : terms_[lowest.term];
        const float* own_mask = mask_of(channel.mask);
        for (std::size_t lane = 0; lane < lanes; ++lane) {
            const float first = takes_rest ? std::max(0.0F, 1 - others[lane]) : term, all = first + others[lane];
            const float own = channel.rest          ? first + std::max(0.0F, 1 - all)
                              : own_mask == nullptr ? 1.0F
                                                    : own_mask[lane];
            row[lane] = own / std::max(1.0F, all);
        }
    }

    const CharacterData& data_;
    std::span<const Channel> channels_;
    const float* terms_;
    Window window_;
    std::uint64_t known_ = 0;                                                             ///< a bit a channel
    std::array<const float*, most_channels> profiles_{};                                  ///< where known
    alignas(cache_line) std::array<std::array<float, window_lanes>, most_channels> rows_; // NOLINT: where made
};

} // namespace gait::detail
