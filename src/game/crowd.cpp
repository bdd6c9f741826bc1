#include "gait/crowd.hpp"

#include <algorithm>

namespace gait {
namespace {

void advance_one(const CrowdMember& member) {
    if (member.performer == nullptr) { return; }
    if (member.events != nullptr) {
        member.performer->advance(member.seconds, *member.events);
    } else {
        member.performer->advance(member.seconds);
    }
    if (!member.skinning.empty()) {
        member.performer->skinning_matrices(member.skinning);
    } else if (member.pose) {
        member.performer->pose({});
    }
}

} // namespace

void advance_all(std::span<const CrowdMember> members, const RunInParts& run) {
    const auto part = [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < std::min(to, members.size()); ++i) { advance_one(members[i]); }
    };
    if (run) {
        run(members.size(), part);
    } else {
        part(0, members.size());
    }
}

} // namespace gait
