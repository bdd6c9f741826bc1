/// Room on the stack for things that are made one by one, without clearing it first: what is not made costs nothing.
#pragma once

#include <array>
#include <cstddef>
#include <new>
#include <type_traits>
#include <utility>

namespace gait::detail {

/// Up to `count` of `Thing`, which needs no destruction.
template <typename Thing, std::size_t count> class InplaceArray {
public:
    InplaceArray() {} // NOLINT: nothing is made yet
    InplaceArray(const InplaceArray&) = delete;
    InplaceArray& operator=(const InplaceArray&) = delete;

    /// Makes the one at `place`; of nothing, as its members say, and not zeroed before.
    template <typename... Arguments> Thing& make(std::size_t place, Arguments&&... arguments) {
        std::byte* const at = bytes_.data() + place * sizeof(Thing);
        if constexpr (sizeof...(Arguments) == 0) {
            return *new (at) Thing;
        } else {
            return *new (at) Thing(std::forward<Arguments>(arguments)...);
        }
    }
    /// The one at `place`, which was made.
    [[nodiscard]] Thing& operator[](std::size_t place) {
        return *std::launder(reinterpret_cast<Thing*>(bytes_.data() + place * sizeof(Thing)));
    }

private:
    static_assert(std::is_trivially_destructible_v<Thing>);
    alignas(Thing) std::array<std::byte, count * sizeof(Thing)> bytes_; // NOLINT: see above
};

} // namespace gait::detail
