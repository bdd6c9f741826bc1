/// \file
/// Texts and lists that a character holds: beside one another in a few pieces of memory where it comes out of a pack.
#pragma once

#include "gait/api.hpp"

#include <concepts>
#include <cstddef>
#include <functional>
#include <iosfwd>
#include <map>
#include <new>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gait {

namespace detail {

/// Memory that is taken bit by bit and given back as a whole.
class GAIT_API KeptMemory {
public:
    /// Has room for so many bytes before it asks for more.
    explicit KeptMemory(std::size_t bytes) : next_bytes_(bytes) {}
    ~KeptMemory();
    KeptMemory(const KeptMemory&) = delete;
    KeptMemory& operator=(const KeptMemory&) = delete;

    /// Throws std::bad_alloc where there is none.
    [[nodiscard]] void* take(std::size_t bytes, std::size_t alignment);

private:
    struct Piece {
        Piece* before = nullptr;
    };
    Piece* last_ = nullptr;
    std::byte *free_ = nullptr, *end_ = nullptr;
    std::size_t next_bytes_;
};

/// Takes memory from a `KeptMemory`, which must live as long as what it is taken for; without one from the heap. Copies
/// come from the heap, so that nobody who copies has to know. `least_alignment`, where that of the values is less.
template <typename Value, std::size_t least_alignment = 1> class KeptAllocator {
public:
    using value_type = Value;
    using propagate_on_container_move_assignment = std::true_type;
    using propagate_on_container_swap = std::true_type;
    template <typename Other> struct rebind { using other = KeptAllocator<Other, least_alignment>; };

    KeptAllocator() = default;
    KeptAllocator(KeptMemory* memory) : memory_(memory) {} // NOLINT(google-explicit-constructor): it stands for it
    template <typename Other>
    KeptAllocator(const KeptAllocator<Other, least_alignment>& other) // NOLINT(google-explicit-constructor)
        : memory_(other.memory()) {}

    [[nodiscard]] KeptMemory* memory() const { return memory_; }
    [[nodiscard]] KeptAllocator select_on_container_copy_construction() const { return {}; }
    [[nodiscard]] Value* allocate(std::size_t count) {
        const std::size_t bytes = count * sizeof(Value);
        if (memory_ != nullptr) { return static_cast<Value*>(memory_->take(bytes, aligned())); }
        if constexpr (aligned() <= __STDCPP_DEFAULT_NEW_ALIGNMENT__) {
            return static_cast<Value*>(::operator new(bytes));
        } else {
            return static_cast<Value*>(::operator new (bytes, std::align_val_t{aligned()}));
        }
    }
    void deallocate(Value* values, std::size_t /*count*/) {
        if (memory_ != nullptr) { return; }
        if constexpr (aligned() <= __STDCPP_DEFAULT_NEW_ALIGNMENT__) {
            ::operator delete(values);
        } else {
            ::operator delete (values, std::align_val_t{aligned()});
        }
    }
    template <typename Other> bool operator==(const KeptAllocator<Other, least_alignment>& other) const {
        return memory_ == other.memory();
    }

private:
    static constexpr std::size_t aligned() {
        return least_alignment > alignof(Value) ? least_alignment : alignof(Value);
    }

    KeptMemory* memory_ = nullptr;
};

} // namespace detail

/// A list that a character may keep in its own memory. A copy of it is its owner's.
template <typename Value> using KeptList = std::vector<Value, detail::KeptAllocator<Value>>;

/// A map that a character may keep in its own memory. A copy of it is its owner's.
template <typename Key, typename Value>
using KeptMap = std::map<Key, Value, std::less<>, detail::KeptAllocator<std::pair<const Key, Value>>>;

/// A text that a character may keep in its own memory; it turns into a std::string or a std::string_view by itself. A
/// copy of it is its owner's.
class KeptText {
public:
    using Allocator = detail::KeptAllocator<char>;

    KeptText() = default;
    /// A copy of `text`, in the allocator's memory.
    KeptText(std::string_view text, const Allocator& allocator) : held_(text, allocator) {}
    /// A copy of `text`.
    template <typename Other>
    requires(std::convertible_to<const Other&, std::string_view> && !std::same_as<Other, KeptText>)
        KeptText(const Other& text)
        : held_(std::string_view(text)) {} // NOLINT(google-explicit-constructor)

    [[nodiscard]] std::string_view view() const { return held_; }
    operator std::string_view() const { return held_; }          // NOLINT(google-explicit-constructor)
    operator std::string() const { return std::string(view()); } // NOLINT(google-explicit-constructor)

    [[nodiscard]] const char* c_str() const { return held_.c_str(); }
    [[nodiscard]] const char* data() const { return held_.data(); }
    [[nodiscard]] std::size_t size() const { return held_.size(); }
    [[nodiscard]] bool empty() const { return held_.empty(); }
    [[nodiscard]] char operator[](std::size_t index) const { return held_[index]; }
    [[nodiscard]] const char* begin() const { return data(); }
    [[nodiscard]] const char* end() const { return data() + size(); }

    KeptText& operator+=(std::string_view more) {
        held_ += more;
        return *this;
    }
    template <typename Other>
    requires std::convertible_to<const Other&, std::string_view>
    [[nodiscard]] friend bool operator==(const KeptText& text, const Other& other) {
        return text.view() == std::string_view(other);
    }
    [[nodiscard]] friend bool operator<(const KeptText& text, const KeptText& other) {
        return text.view() < other.view();
    }
    template <typename Other>
    requires std::convertible_to<const Other&, std::string_view>
    [[nodiscard]] friend std::string operator+(const KeptText& text, const Other& other) {
        return std::string(text.view()).append(std::string_view(other));
    }
    template <typename Other>
    requires(std::convertible_to<const Other&, std::string_view> && !std::same_as<Other, KeptText>)
        [[nodiscard]] friend std::string
        operator+(const Other& other, const KeptText& text) {
        return std::string(std::string_view(other)).append(text.view());
    }
    template <typename Traits>
    friend std::basic_ostream<char, Traits>& operator<<(std::basic_ostream<char, Traits>& out, const KeptText& text) {
        return out << text.view();
    }

private:
    std::basic_string<char, std::char_traits<char>, Allocator> held_;
};

/// The texts of a list, each a std::string.
[[nodiscard]] inline std::vector<std::string> strings_of(const KeptList<KeptText>& texts) {
    return {texts.begin(), texts.end()};
}

} // namespace gait
