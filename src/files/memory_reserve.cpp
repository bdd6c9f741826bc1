#include "files/memory_reserve.hpp"

#include <mutex>
#include <new>

namespace gait::detail {
namespace {

constexpr std::size_t reserve_bytes = std::size_t(1) << 20U;

thread_local MemoryReserve* ours = nullptr;
std::mutex installing;
int installed = 0;
std::new_handler handler_before = nullptr;

} // namespace

MemoryReserve::MemoryReserve() : room_(new char[reserve_bytes]) {
    const std::lock_guard lock(installing);
    if (installed++ == 0) { handler_before = std::set_new_handler(&give); }
    ours = this;
}

MemoryReserve::~MemoryReserve() {
    const std::lock_guard lock(installing);
    if (--installed == 0) { std::set_new_handler(handler_before); }
    ours = nullptr;
}

void MemoryReserve::give() {
    if (ours != nullptr && !ours->spent()) {
        ours->room_.reset();
        return; // and the allocation is tried again
    }
    if (handler_before == nullptr) { throw std::bad_alloc(); }
    handler_before();
}

} // namespace gait::detail
