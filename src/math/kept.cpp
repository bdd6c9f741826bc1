#include "gait/kept.hpp"

#include <algorithm>
#include <memory>

namespace gait::detail {

KeptMemory::~KeptMemory() {
    while (last_ != nullptr) {
        Piece* const piece = last_;
        last_ = piece->before;
        ::operator delete(piece);
    }
}

void* KeptMemory::take(std::size_t bytes, std::size_t alignment) {
    void* at = free_;
    auto room = std::size_t(end_ - free_);
    if (free_ == nullptr || std::align(alignment, bytes, at, room) == nullptr) {
        const std::size_t size = std::max(next_bytes_, sizeof(Piece) + alignment + bytes);
        auto* const memory = static_cast<std::byte*>(::operator new(size));
        last_ = ::new (memory) Piece{last_};
        next_bytes_ = size;
        end_ = memory + size;
        at = memory + sizeof(Piece);
        room = size - sizeof(Piece);
        at = std::align(alignment, bytes, at, room);
    }
    free_ = static_cast<std::byte*>(at) + bytes;
    return at;
}

} // namespace gait::detail
