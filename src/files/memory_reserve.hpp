/// Memory set aside for a call into a library that does not bear running out of it.
#pragma once

#include <memory>

namespace gait::detail {

/// While one lives, the first allocation of this thread that fails is given the reserve's room and tried again; the
/// caller then asks `spent`, and gives up in good order. TinyGLTF needs it: the JSON values inside it allocate in a
/// destructor that must not throw. Reserves do not nest; those of other threads are their own.
class MemoryReserve {
public:
    MemoryReserve();
    ~MemoryReserve();
    MemoryReserve(const MemoryReserve&) = delete;
    MemoryReserve& operator=(const MemoryReserve&) = delete;

    [[nodiscard]] bool spent() const { return room_ == nullptr; }

private:
    static void give();
    std::unique_ptr<char[]> room_;
};

} // namespace gait::detail
