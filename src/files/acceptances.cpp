#include "files/acceptances.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

class Taker {
public:
    explicit Taker(DiagnosticSink& sink) : sink_(sink) {}

    /// `from` is the line in which what the node is called stands; 0 at the top. Returns the last line of it all.
    int take(YamlNode& node, int from) {
        int last = node.place.line;
        for (YamlNode& item : node.items) { last = std::max(last, take(item, item.place.line)); }
        const std::size_t before = taken_.size();
        for (auto entry = node.entries.begin(); entry != node.entries.end();) {
            last = std::max(last, entry->key.place.line);
            // A list: what is called so by somebody, a parameter say, is a map.
            if (entry->key.is_scalar() && entry->key.scalar == "accept" && entry->value.is_sequence()) {
                for (const YamlNode& item : entry->value.items) {
                    last = std::max(last, item.place.line);
                    note(item, from);
                }
                entry = node.entries.erase(entry);
                continue;
            }
            last = std::max(last, take(entry->value, entry->key.place.line));
            ++entry;
        }
        for (std::size_t t = before; t < taken_.size(); ++t) {
            if (taken_[t].from == from && taken_[t].to == open) { taken_[t].to = from == 0 ? 0 : last; }
        }
        return last;
    }

    [[nodiscard]] std::vector<Acceptance> taken() { return std::move(taken_); }

private:
    static constexpr int open = -1; ///< the end is not seen yet

    void note(const YamlNode& item, int from) {
        Acceptance acceptance;
        acceptance.place = item.place;
        acceptance.from = from;
        acceptance.to = open;
        if (item.is_scalar()) {
            acceptance.code = item.scalar;
        } else if (item.is_map() && item.entries.size() == 1 && item.entries.front().value.is_scalar()) {
            acceptance.code = item.entries.front().key.scalar;
            acceptance.reason = item.entries.front().value.scalar;
        } else {
            sink_.error(
                item.place, "wrong-shape",
                fmt::format("'accept' lists the warnings that are meant, by what stands in brackets behind them, "
                            "with a reason: [flutter], or [{{flutter: a dance}}]; found {}",
                            describe(item)));
            return;
        }
        taken_.push_back(std::move(acceptance));
    }

    DiagnosticSink& sink_;
    std::vector<Acceptance> taken_;
};

} // namespace

std::vector<Acceptance> take_acceptances(YamlNode& root, DiagnosticSink& sink) {
    Taker taker(sink);
    taker.take(root, 0);
    return taker.taken();
}

} // namespace gait::detail
