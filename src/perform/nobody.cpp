#include "perform/nobody.hpp"

#include "character/character_data.hpp"
#include "gait/character.hpp"
#include "math/compiler.hpp"

#include <memory>
#include <utility>

namespace gait::detail {
namespace {

SharedCharacter make_nobody() {
    auto data = std::make_unique<CharacterData>();
    data->layout.layers.resize(1); // as a block sees its lowest layer, whether it is there or not
    return std::shared_ptr<const Character>(std::make_shared<Character>(std::move(data)));
}

} // namespace

const SharedCharacter& nobody() {
    static const SharedCharacter character = make_nobody();
    return character;
}

GAIT_COLD std::byte* block_of_nobody() noexcept {
    thread_local PerformerHeader header;
    header = PerformerHeader{};
    return reinterpret_cast<std::byte*>(&header);
}

} // namespace gait::detail
