/// \file
/// What somebody wrote, with the place where it stands.
#pragma once

#include "gait/diagnostic.hpp"

#include <string>
#include <utility>

namespace gait {

/// A word or an expression of the document, with the place it was read from.
struct Text {
    std::string value;
    Place place;

    Text() = default;
    /// From words, and where they stand.
    Text(std::string text, Place where = {}) : value(std::move(text)), place(where) {}
    /// From a literal.
    Text(const char* text) : value(text) {}
    /// Whether nothing was written.
    [[nodiscard]] bool empty() const { return value.empty(); }
};

/// A number of the document, with its place.
struct Number {
    double value = 0;
    Place place;

    Number() = default;
    /// From a number, and where it stands.
    Number(double number, Place where = {}) : value(number), place(where) {}
};

} // namespace gait
