/// What people and checks ask of a character and no frame does.
#pragma once

#include "character/expression_names.hpp"
#include "gait/diagnostic.hpp"
#include "gait/kept.hpp"

#include <cstdint>
#include <map>

namespace gait::detail {

struct CharacterNotes {
    /// What an expression likely does not mean as it is written, with its place.
    struct Remark {
        Place place;
        KeptText code, message;
    };
    KeptList<Remark> remarks;
    KeptList<KeptText> forbid_conditions;       ///< beside `CharacterData::forbidden`: `when` as it is written
    KeptMap<std::uint32_t, Place> blend_places; ///< of the motion's parts that are blend spaces
    ExpressionNames names;                      ///< what conditions may speak of, to take them apart again
};

} // namespace gait::detail
