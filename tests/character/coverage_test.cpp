#include "character/coverage.hpp"

#include <catch2/catch.hpp>

using namespace gait::detail;

TEST_CASE("what covers the whole body counts on every joint, the rest as the mask says") {
    const Coverage cover{0.5F, 0.25F};
    CHECK(cover.total() == 0.75F);
    CHECK(cover.on(0) == 0.25F);
    CHECK(cover.on(0.5F) == 0.5F);
    CHECK(cover.on(1) == 0.75F);
}

TEST_CASE("coverages add up, shrink, and are made to fit a whole, the whole body first") {
    Coverage sum = Coverage{0.5F, 0} + Coverage{0.25F, 0.75F} * 0.5F;
    CHECK(sum.masked == 0.625F);
    CHECK(sum.whole_body == 0.375F);
    sum.add(true, 0.5F);
    sum.add(false, 0.125F);
    CHECK(sum.fitted().whole_body == 0.875F);
    CHECK(sum.fitted().masked == 0.125F);
    const Coverage less = Coverage{0.25F, 0.5F} - Coverage{0.5F, 0.25F};
    CHECK(less.positive().masked == 0);
    CHECK(less.positive().whole_body == 0.25F);
    CHECK(less.fitted().masked == 0);
}
