/// \file
/// A share in a character, without the headers that `std::shared_ptr` needs.
#pragma once

#include "gait/api.hpp"

#include <cstddef>

namespace gait {

class Character;
class SharedCharacter;

namespace detail {
struct ShareAccess;
}

/// Keeps a character alive, as a `std::shared_ptr<const Character>` does, from which it is made and into which
/// `pointer_of` (gait/character.hpp) turns it back. So what drives performers need not compile what loads characters.
class GAIT_API SharedCharacter {
public:
    /// A share in nothing.
    SharedCharacter() noexcept;
    /// \copydoc SharedCharacter()
    SharedCharacter(std::nullptr_t) noexcept : SharedCharacter() {} // NOLINT(google-explicit-constructor)
    /// A share in what a `std::shared_ptr<const Character>` holds: for anything else there is no `share_of`.
    template <typename Pointer>
    requires requires(const Pointer& pointer) { share_of(pointer); }
    SharedCharacter(const Pointer& pointer) // NOLINT(google-explicit-constructor): it is the same share
        : SharedCharacter(share_of(pointer)) {}
    /// One share more.
    SharedCharacter(const SharedCharacter& other) noexcept;
    /// One share more, for the one that was held.
    SharedCharacter& operator=(const SharedCharacter& other) noexcept;
    /// `other` is left with a share in nothing.
    SharedCharacter(SharedCharacter&& other) noexcept;
    /// \copydoc SharedCharacter(SharedCharacter&&)
    SharedCharacter& operator=(SharedCharacter&& other) noexcept;
    ~SharedCharacter();

    /// The character; null for a share in nothing.
    [[nodiscard]] const Character* get() const noexcept { return character_; }
    /// The character, which must be there.
    [[nodiscard]] const Character& operator*() const noexcept { return *character_; }
    /// \copydoc operator*
    [[nodiscard]] const Character* operator->() const noexcept { return character_; }
    /// Whether there is one.
    [[nodiscard]] explicit operator bool() const noexcept { return character_ != nullptr; }
    /// Whether both are of the same character.
    [[nodiscard]] friend bool operator==(const SharedCharacter& a, const SharedCharacter& b) noexcept {
        return a.character_ == b.character_;
    }

private:
    friend struct detail::ShareAccess;
    const Character* character_ = nullptr;
    alignas(void*) unsigned char pointer_[2 * sizeof(void*)]; // a std::shared_ptr<const Character>
};

} // namespace gait
