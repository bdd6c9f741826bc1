#include "gait/shared_character.hpp"

#include "gait/character.hpp"

#include <memory>
#include <new>
#include <utility>

namespace gait {
namespace detail {

/// The pointer that a share is made of.
struct ShareAccess {
    using Pointer = std::shared_ptr<const Character>;
    static_assert(sizeof(Pointer) == sizeof(SharedCharacter::pointer_) && alignof(Pointer) == alignof(void*));

    static Pointer& of(SharedCharacter& share) { return *std::launder(reinterpret_cast<Pointer*>(share.pointer_)); }
    static const Pointer& of(const SharedCharacter& share) {
        return *std::launder(reinterpret_cast<const Pointer*>(share.pointer_));
    }
    static void make(SharedCharacter& share, Pointer pointer) noexcept {
        share.character_ = pointer.get();
        new (share.pointer_) Pointer(std::move(pointer));
    }
    static void become(SharedCharacter& share, Pointer pointer) noexcept {
        share.character_ = pointer.get();
        of(share) = std::move(pointer);
    }
    static Pointer take(SharedCharacter& share) noexcept {
        share.character_ = nullptr;
        return std::move(of(share));
    }
};

} // namespace detail

using detail::ShareAccess;

SharedCharacter::SharedCharacter() noexcept { ShareAccess::make(*this, nullptr); }
SharedCharacter::SharedCharacter(const SharedCharacter& other) noexcept {
    ShareAccess::make(*this, ShareAccess::of(other));
}
SharedCharacter::SharedCharacter(SharedCharacter&& other) noexcept {
    ShareAccess::make(*this, ShareAccess::take(other));
}
SharedCharacter& SharedCharacter::operator=(const SharedCharacter& other) noexcept {
    if (this != &other) { ShareAccess::become(*this, ShareAccess::of(other)); }
    return *this;
}
SharedCharacter& SharedCharacter::operator=(SharedCharacter&& other) noexcept {
    if (this != &other) { ShareAccess::become(*this, ShareAccess::take(other)); }
    return *this;
}
SharedCharacter::~SharedCharacter() { std::destroy_at(&ShareAccess::of(*this)); }

SharedCharacter share_of(const std::shared_ptr<const Character>& character) {
    SharedCharacter share;
    ShareAccess::become(share, character);
    return share;
}

std::shared_ptr<const Character> pointer_of(const SharedCharacter& character) { return ShareAccess::of(character); }

} // namespace gait
