// The global allocator is replaced here, to prove that a frame never calls it.
#include "gait/load.hpp"
#include "gait/open.hpp"
#include "gait/pack.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <atomic>
#include <cstdlib>
#include <new>

namespace {
std::atomic<long> allocations{0};
/// Counts down to the one allocation that fails; below zero none does.
std::atomic<long> until_failure{-1};

bool fails() { return until_failure >= 0 && until_failure-- == 0; }

void* counted(std::size_t size, std::size_t alignment) {
    ++allocations;
    for (;;) {
        void* memory = nullptr;
        if (!fails()) {
            memory = alignment > alignof(std::max_align_t)
                         ? std::aligned_alloc(alignment, (size + alignment - 1) / alignment * alignment)
                         : std::malloc(size);
        }
        if (memory != nullptr) { return memory; }
        const std::new_handler handler = std::get_new_handler();
        if (handler == nullptr) { throw std::bad_alloc(); }
        handler();
    }
}
} // namespace

void* operator new(std::size_t size) { return counted(size, 0); }
void* operator new[](std::size_t size) { return counted(size, 0); }
void* operator new(std::size_t size, std::align_val_t alignment) { return counted(size, std::size_t(alignment)); }
void* operator new[](std::size_t size, std::align_val_t alignment) { return counted(size, std::size_t(alignment)); }
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    ++allocations;
    return fails() ? nullptr : std::malloc(size);
}
void operator delete(void* memory) noexcept { std::free(memory); }
void operator delete[](void* memory) noexcept { std::free(memory); }
void operator delete(void* memory, std::size_t) noexcept { std::free(memory); }
void operator delete[](void* memory, std::size_t) noexcept { std::free(memory); }
void operator delete(void* memory, std::align_val_t) noexcept { std::free(memory); }
void operator delete[](void* memory, std::align_val_t) noexcept { std::free(memory); }
void operator delete(void* memory, std::size_t, std::align_val_t) noexcept { std::free(memory); }
void operator delete[](void* memory, std::size_t, std::align_val_t) noexcept { std::free(memory); }

TEST_CASE("advancing, setting, reading and assigning allocate nothing") {
    const auto& character = support::lamplighter().character;
    gait::Performer performer(character), copy = performer;
    const gait::NumberParameter speed = character->number("speed");
    std::vector<gait::Transform> pose(character->joint_count());
    std::vector<gait::Matrix4> matrices(character->joint_count());
    std::vector<gait::ClipView> clips(8);
    const long before = allocations;
    bool folded = false;
    for (int i = 0; i < 2000; ++i) {
        performer.set(speed, i % 6 < 3 ? 4.2F : 0.0F);
        performer.set("halt", i % 5 == 0);
        performer.advance(i % 50 == 0 ? 3.0 : 0.03);
        folded = folded || performer.offset_seconds() > 0;
        copy = performer;
        performer.pose(pose);
        performer.model_pose(pose);
        performer.skinning_matrices(matrices);
        performer.instance_clips(0, clips);
        if (i % 500 == 499) { performer.reset(); }
    }
    CHECK(allocations - before == 0);
    CHECK(folded); // the dearest path was among them
}

TEST_CASE("hops, landings, picks, signals, events and values allocate nothing") {
    const auto& character = support::lamplighter().character;
    gait::Performer performer(character);
    gait::Bindings bindings(*character);
    int left = 0, steps = 0;
    bindings.on_event([&](const gait::Event& event) { left += event.kind == gait::EventKind::left ? 1 : 0; });
    bindings.flag("airborne", [&] { return steps % 200 > 120 && steps % 200 < 160; });
    bindings.number("fall_speed", [&] { return float(steps % 200 > 130 ? steps % 40 : 0) / 4; });
    const gait::SignalParameter hop = character->signal("hop"), light = character->signal("light");
    const gait::OneShotHandle greet = character->one_shot("greet");
    const gait::ChoiceParameter hands = character->choice("hands");
    const gait::NumberParameter speed = character->number("speed");
    const gait::NumberValue top = character->number_value("top_speed");
    const long before = allocations;
    float sum = 0;
    for (; steps < 4000; ++steps) {
        if (steps % 170 == 0) { performer.send(hop); }
        if (steps % 400 == 10) { performer.play_once(greet); }
        if (steps % 350 == 20) { performer.send(light); }
        if (steps % 1100 == 1000) { performer.send("bell"); }
        performer.set(hands, steps % 900 > 500 ? "lantern" : "free");
        performer.set(speed, steps % 300 < 150 ? 3.0F : 0.0F);
        bindings.advance(performer, steps % 90 == 0 ? 0.9 : 1.0 / 60);
        sum += performer.get(top);
    }
    CHECK(allocations == before);
    CHECK(left > 30);
    CHECK(sum > 0);
    CHECK(bindings.events().lost() == 0);
}

TEST_CASE("taking a stored block over allocates nothing, unless it stands askew") {
    gait::Performer performer(support::lamplighter().character);
    performer.advance(0.1);
    const std::vector<std::byte> stored(performer.bytes().begin(), performer.bytes().end());
    std::vector<std::byte> askew(stored.size() + 1);
    std::copy(stored.begin(), stored.end(), askew.begin() + 1);
    const long before = allocations;
    const bool taken = performer.restore(stored);
    const long allocated = allocations - before;
    CHECK(taken);
    CHECK(allocated == 0);
    CHECK(performer.restore(std::span(askew).subspan(1)));
}

TEST_CASE("travelling, and reading the way and the numbers, allocates nothing") {
    const gait::Loaded loaded = gait::load(support::project() / "demo/crossing.gait.yaml");
    REQUIRE(loaded.character);
    gait::Performer performer(loaded.character);
    gait::GroundPlace place;
    std::vector<float> numbers(4);
    const long before = allocations;
    for (int i = 0; i < 1500; ++i) {
        performer.set("going", i % 300 < 200);
        performer.set("airborne", i % 130 > 100);
        performer.advance(0.02);
        place.add(performer.travel());
        performer.number_tracks(numbers);
    }
    CHECK(allocations - before == 0);
    CHECK(place.z > 1);
}

TEST_CASE("the counter counts") {
    const long before = allocations;
    const auto memory = std::make_unique<std::vector<int>>(100);
    CHECK(memory->size() == 100);
    CHECK(allocations - before == 2);
}

TEST_CASE("loading survives the failure of any one allocation with an error") {
    const support::TemporaryFolder folder;
    folder.write("small.glb", support::read(support::project() / "tests/fuzz/corpus/gltf/plain.glb"));
    const std::filesystem::path path = folder.write(
        "small.gait.yaml", "gait: 1\nrig: small.glb\nclips: {stroll: {loop: yes}}\n"
                           "parameters: {speed: {kind: number, range: [0, 6]}}\n"
                           "layers:\n  - name: body\n    machine:\n      start: a\n"
                           "      states:\n        a: {play: stroll, go: [{to: b, when: speed > 1, fade: 0.2}]}\n"
                           "        b: {play: stroll, go: [{to: a, when: speed < 1, fade: 0.2}]}\n");
    (void)gait::load(path); // what is made once and kept
    long failed = 0;
    bool reached_the_end = false;
    for (long n = 0; n < 100'000 && !reached_the_end; ++n) {
        until_failure = n;
        const gait::Loaded loaded = gait::load(path);
        reached_the_end = until_failure >= 0;
        until_failure = -1;
        if (loaded.character) { continue; } // the one that failed was of a cache that can do without
        ++failed;
        if (!gait::has_errors(loaded.diagnostics) || loaded.diagnostics.front().code != "out-of-memory") {
            CAPTURE(n, gait::format(loaded.diagnostics));
            FAIL("no character, and no word of memory");
        }
    }
    CHECK(reached_the_end);
    CHECK(failed > 500);
}

namespace {
std::shared_ptr<const gait::Character> crossing() {
    return gait::load(support::project() / "demo/crossing.gait.yaml").character;
}
/// What `open` asks of the allocator.
long allocations_of_opening(const std::vector<std::byte>& bytes) {
    const long before = allocations;
    const gait::OpenedPack opened = gait::open(bytes);
    const long after = allocations;
    REQUIRE(opened.character);
    return after - before;
}
} // namespace

TEST_CASE("a pack opens in a handful of allocations, however many clips, states and names it holds") {
    const auto few = crossing();
    const auto& many = support::lamplighter().character;
    REQUIRE(many->clips().size() > 2 * few->clips().size());
    for (const auto clips : {gait::ClipPacking::fast, gait::ClipPacking::small}) {
        gait::PackOptions options;
        options.clips = clips;
        const long of_few = allocations_of_opening(gait::pack(*few, options).bytes);
        const long of_many = allocations_of_opening(gait::pack(*many, options).bytes);
        CHECK(of_few <= 15);
        CHECK(of_many <= 20);
    }
}

TEST_CASE("where memory fails as a pack is opened, nothing is left behind and the next time it opens") {
    const std::vector<std::byte> bytes = gait::pack(*crossing()).bytes;
    long failed = 0;
    bool opened = false;
    for (long n = 0; n < 100 && !opened; ++n) {
        until_failure = n;
        try {
            opened = gait::open(bytes).character != nullptr;
        } catch (const std::bad_alloc&) { ++failed; }
        until_failure = -1;
    }
    CHECK(opened);
    CHECK(failed > 5);
}
