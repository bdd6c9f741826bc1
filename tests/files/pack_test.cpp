#include "character/character_data.hpp"
#include "character/pack_format.hpp"
#include "gait/gait.hpp"
#include "hostile.hpp"
#include "perform/block_of.hpp"
#include "random_inputs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>

using namespace gait;

namespace {

std::filesystem::path document(const char* name) { return support::project() / "demo" / name; }

const std::shared_ptr<const Character>& lamplighter() { return support::lamplighter().character; }

const std::vector<std::byte>& fast_pack() {
    static const std::vector<std::byte> made = pack(*lamplighter()).bytes;
    return made;
}

/// A header with its checksum put right.
void put_header(std::vector<std::byte>& bytes, detail::PackHeader header) {
    header.checksum = detail::checksum_of(std::span(bytes).subspan(offsetof(detail::PackHeader, fingerprint)));
    std::memcpy(bytes.data(), &header, sizeof header);
}
detail::PackHeader header_of(const std::vector<std::byte>& bytes) {
    detail::PackHeader header;
    std::memcpy(&header, bytes.data(), sizeof header);
    return header;
}

/// Plays both alike, and says in how many frames their blocks differ.
int frames_unlike(const std::shared_ptr<const Character>& a, const std::shared_ptr<const Character>& b, int frames) {
    Performer first(a), second(b);
    support::RandomInputs of_first(4, 0.005), of_second(4, 0.005);
    int unlike = first.bytes().size() == second.bytes().size() ? 0 : 1;
    for (int f = 0; f < frames && unlike == 0; ++f) {
        of_first.give(first);
        of_second.give(second);
        first.advance(1.0 / 60);
        second.advance(1.0 / 60);
        first.plant_feet(first.travel());
        second.plant_feet(second.travel());
        unlike += std::memcmp(first.bytes().data(), second.bytes().data(), first.bytes().size()) == 0 ? 0 : 1;
    }
    return unlike;
}

} // namespace

TEST_CASE("a packed character plays as the one that was compiled, to the last bit") {
    const char* name = GENERATE("lamplighter.gait.yaml", "crossing.gait.yaml", "harbour_master.gait.yaml");
    const Loaded loaded = load(document(name));
    REQUIRE(loaded.character);
    const Packed packed = pack(*loaded.character);
    CHECK(packed.bytes == pack(*loaded.character).bytes);
    const OpenedPack opened = open(packed.bytes);
    CAPTURE(name, opened.problem);
    REQUIRE(opened.character);
    CHECK(frames_unlike(loaded.character, opened.character, 900) == 0);
    // What is opened is packed to the same bytes again: nothing was lost.
    CHECK(pack(*opened.character).bytes == packed.bytes);
    CHECK(opened.character->parameters()[0].note == loaded.character->parameters()[0].note);
    CHECK(opened.character->transitions()[0].when == loaded.character->transitions()[0].when);
    CHECK(opened.character->full_name(3) == loaded.character->full_name(3));
    CHECK_FALSE(explain_transitions(Performer(opened.character)).empty());
}

TEST_CASE("a stored block of a compiled character fits the packed one, and the other way about") {
    const OpenedPack opened = open(fast_pack());
    REQUIRE(opened.character);
    Performer compiled(lamplighter()), packed(opened.character);
    compiled.set("speed", 2);
    compiled.advance(0.5);
    CHECK(packed.fault_of(compiled.bytes()) == SnapshotFault::none);
    REQUIRE(packed.restore(compiled.bytes()));
    CHECK(packed.time() == compiled.time());
}

TEST_CASE("small clips take a sixth of their float keys, and no joint is off by more than was asked") {
    const Packed small = pack(*lamplighter(), {.strip = true, .clips = ClipPacking::small, .tolerance = 0.1});
    // The demo's clips as their file keeps them: times and values of every track, floats.
    const ImportResult imported = import_gltf(document("lamplighter.glb"));
    REQUIRE(imported.file);
    std::size_t keys = 0;
    for (const ClipSource& clip : imported.file->clips) {
        for (const JointTracks& tracks : clip.tracks) {
            keys +=
                tracks.rotation.times.size() * 5 + tracks.translation.times.size() * 4 + tracks.scale.times.size() * 4;
        }
    }
    CHECK(small.bytes.size() * 6 < keys * sizeof(float));
    double worst = 0;
    std::size_t as_played = 0, written = 0;
    for (const PackedClip& clip : small.clips) {
        worst = std::max(worst, clip.worst_millimetres);
        as_played += clip.bytes_as_played;
        written += clip.bytes;
    }
    CHECK(worst <= 0.1);
    CHECK(worst > 0.01);
    CHECK(written * 8 < as_played);
    const OpenedPack opened = open(small.bytes);
    CAPTURE(opened.problem);
    REQUIRE(opened.character);
    // Where it is played: each joint where it would be, but for as much.
    Performer exact(lamplighter()), packed(opened.character);
    std::vector<Transform> a(lamplighter()->joint_count()), b = a;
    double furthest = 0;
    for (int f = 0; f < 600; ++f) {
        for (Performer* performer : {&exact, &packed}) {
            performer->set("speed", f < 300 ? 1.4F : 3.5F);
            performer->advance(1.0 / 60);
        }
        exact.model_pose(a);
        packed.model_pose(b);
        for (std::size_t j = 0; j < a.size(); ++j) {
            furthest = std::max(furthest, double(length(a[j].translation - b[j].translation)));
        }
    }
    CHECK(furthest < 0.0002); // both ways of rounding, and of what is mixed
    // Coarser is smaller.
    CHECK(pack(*lamplighter(), {.strip = true, .clips = ClipPacking::small, .tolerance = 1}).bytes.size() <
          small.bytes.size());
}

TEST_CASE("a stripped pack has its names and nothing else for people") {
    const Packed whole = pack(*lamplighter()), stripped = pack(*lamplighter(), {.strip = true});
    CHECK(stripped.bytes.size() < whole.bytes.size());
    const OpenedPack opened = open(stripped.bytes);
    REQUIRE(opened.character);
    CHECK(frames_unlike(lamplighter(), opened.character, 120) == 0);
    CHECK(opened.character->number("speed"));
    CHECK(opened.character->state("legs.air.take_off"));
    CHECK(opened.character->one_shot("greet"));
    CHECK(opened.character->parameters()[0].note.empty());
    CHECK(opened.character->transitions()[0].when.empty());
    const std::string text(reinterpret_cast<const char*>(stripped.bytes.data()), stripped.bytes.size());
    CHECK(text.find("ground speed the game wants") == std::string::npos);
    CHECK(text.find("speed > start_at") == std::string::npos);
}

TEST_CASE("casts of one set of clips hold it once, for as long as any of them lives") {
    const support::TemporaryFolder folder;
    const std::string file = folder.write(
        "lamplighter.gaitpack", std::string(reinterpret_cast<const char*>(fast_pack().data()), fast_pack().size()));
    OpenedPack first = open_file(file);
    CAPTURE(first.problem);
    REQUIRE(first.character);
    const OpenedPack second = open_file(file, first.character), alone = open_file(file);
    // Another document with the same clips, packed the other way.
    const OpenedPack third = open(pack(*lamplighter()).bytes, {nullptr, first.character});
    REQUIRE(second.character);
    REQUIRE(third.character);
    const auto rows = [](const OpenedPack& pack) { return pack.character->data().clips[2].rotations.data(); };
    CHECK(rows(second) == rows(first));
    CHECK(rows(third) == rows(first));
    CHECK(rows(alone) != rows(first));
    first.character.reset();
    std::filesystem::remove(file);
    CHECK(frames_unlike(second.character, third.character, 60) == 0);
    CHECK(frames_unlike(lamplighter(), second.character, 60) == 0);
}

TEST_CASE("a copy of what a character says of itself outlives the character") {
    OpenedPack opened = open(fast_pack());
    REQUIRE(opened.character);
    const Rig rig = opened.character->rig();
    const auto given = opened.character->parameters();
    std::vector<ParameterInfo> parameters(given.begin(), given.end());
    std::vector<LayerInfo> layers(opened.character->layers().begin(), opened.character->layers().end());
    layers.front() = layers.back(); // assigned, not only made
    const KeptText name = std::move(parameters[1].name);
    opened.character.reset();
    const Character& own = *lamplighter();
    CHECK(rig.joints.back().name == own.rig().joints.back().name);
    CHECK(name == own.parameters()[1].name);
    CHECK(layers.front().mask_weights == own.layers().back().mask_weights);
    std::size_t words = 0;
    for (std::size_t p = 0; p < parameters.size(); ++p) {
        words += parameters[p].of.size();
        CHECK(parameters[p].of == own.parameters()[p].of);
    }
    CHECK(words > 2);
}

TEST_CASE("what a character keeps stands where its type must, whatever was kept before it") {
    detail::KeptMemory memory(GENERATE(8, 10000));                      // in many pieces, and in one
    const KeptText name("a name too long to stand in itself", &memory); // an odd count of bytes
    KeptMap<std::uint16_t, std::uint16_t> places(&memory);
    KeptList<double> numbers(3, 1.5, &memory);
    detail::AlignedFloats samples(5, 2.0F, &memory);
    const auto is_aligned = [](const void* at, std::size_t to) {
        return reinterpret_cast<std::uintptr_t>(at) % to == 0;
    };
    for (std::uint16_t i = 0; i < 100; ++i) {
        places[i] = i;
        // Of its node, which holds pointers.
        CHECK(is_aligned(&*places.find(i), alignof(void*)));
    }
    CHECK(is_aligned(numbers.data(), alignof(double)));
    CHECK(is_aligned(samples.data(), detail::cache_line));
    CHECK((name.size() == 34 && numbers[2] == 1.5 && samples[4] == 2.0F && places[99] == 99));
}

TEST_CASE("what is no pack, cut short, of another version or machine, or damaged is one clear error") {
    const auto fault = [](const std::vector<std::byte>& bytes) {
        const OpenedPack opened = open(bytes);
        CHECK(opened.character == nullptr);
        CHECK_FALSE(opened.problem.empty());
        CHECK(opened.problem.find('\n') == std::string::npos);
        return opened.fault;
    };
    const std::vector<std::byte>& good = fast_pack();
    CHECK(fault({}) == PackFault::not_a_pack);
    CHECK(fault({good.begin(), good.begin() + 40}) == PackFault::not_a_pack);
    CHECK(fault(std::vector<std::byte>(5000, std::byte{7})) == PackFault::not_a_pack);
    CHECK(fault({good.begin(), good.end() - 1}) == PackFault::cut_short);
    std::vector<std::byte> longer = good;
    longer.push_back({});
    CHECK(fault(longer) == PackFault::cut_short);
    std::vector<std::byte> newer = good;
    detail::PackHeader header = header_of(good);
    ++header.version;
    put_header(newer, header);
    CHECK(fault(newer) == PackFault::version);
    CHECK_THAT(open(newer).problem, Catch::Contains("another version") && Catch::Contains("pack the character again"));
    std::vector<std::byte> other = good;
    header = header_of(good);
    header.byte_order = 0x04030201;
    put_header(other, header);
    CHECK(fault(other) == PackFault::byte_order);
    // Whichever byte is turned.
    for (std::size_t at = sizeof(detail::PackHeader); at < good.size(); at += good.size() / 50) {
        std::vector<std::byte> turned = good;
        turned[at] ^= std::byte{16};
        CHECK(fault(turned) == PackFault::damaged);
    }
}

TEST_CASE("a file that cannot be read is said by its name") {
    const support::TemporaryFolder folder;
    const auto fault = [](const std::filesystem::path& path) {
        const OpenedPack opened = open_file(path);
        CHECK_THAT(opened.problem, Catch::StartsWith(path.string() + ": "));
        return opened.fault;
    };
    CHECK(fault(folder / "gone.gaitpack") == PackFault::unreadable);
    CHECK(fault(folder / "") == PackFault::unreadable);
    CHECK(fault("/dev/zero") == PackFault::unreadable);
    CHECK(fault(folder.write("empty.gaitpack", "")) == PackFault::not_a_pack);
    CHECK(fault(document("lamplighter.glb")) == PackFault::not_a_pack);
}

TEST_CASE("whatever in a pack is changed behind a right checksum, what opens plays without harm") {
    const Packed good = pack(*support::rich_character());
    std::mt19937 random(11);
    int opened_count = 0, refused = 0;
    for (int round = 0; round < 1500; ++round) {
        std::vector<std::byte> bytes = good.bytes;
        // Its fields stand first.
        const std::size_t body = std::size_t(header_of(bytes).notes_at);
        for (unsigned change = 1 + unsigned(random() % 3); change > 0; --change) {
            const std::size_t at = sizeof(detail::PackHeader) + random() % (body - sizeof(detail::PackHeader));
            bytes[at] = random() % 2 == 0 ? std::byte(random()) : std::byte(std::uint8_t(bytes[at]) + 1);
        }
        put_header(bytes, header_of(bytes));
        const OpenedPack opened = open(bytes);
        (opened.character ? opened_count : refused)++;
        if (!opened.character) { continue; }
        Performer performer(opened.character);
        support::Choices choices(static_cast<std::uint32_t>(round));
        (void)support::play_hard(performer, choices, 6, true);
    }
    CHECK(opened_count > 100);
    CHECK(refused > 300);
}
