// What play.c does, by the C++ headers.
#include "gait/events.hpp"
#include "gait/open.hpp"
#include "gait/performer.hpp"

#include <cstdint>
#include <cstdio>
#include <fstream>
#include <string>
#include <vector>

int main(int count, char** arguments) {
    if (count != 3 || !gait::pin_target("SSE4")) { return 2; }
    const gait::OpenedPack pack = gait::open_file(arguments[1]);
    if (!pack.character) { return 2; }
    gait::Performer her(pack.character);
    gait::EventList events;
    std::vector<gait::Transform> pose(pack.character->joint_count());
    std::uint64_t sum = 14695981039346656037ULL;
    std::size_t told = 0;
    const auto add = [&](const void* bytes, std::size_t size) {
        for (std::size_t i = 0; i < size; ++i) {
            sum = (sum ^ static_cast<const unsigned char*>(bytes)[i]) * 1099511628211ULL;
        }
    };
    std::ifstream inputs(arguments[2]);
    std::string kind, name, value;
    while (inputs >> kind >> name >> value) {
        bool taken = true;
        if (kind == "n") { taken = her.set(name, std::stof(value)); }
        if (kind == "f") { taken = her.set(name, value == "1"); }
        if (kind == "c") { taken = her.set(name, value); }
        if (kind == "s") { taken = her.send(name); }
        if (kind == "a") {
            taken = her.advance(std::stod(value), events);
            told += events.events().size();
            const gait::Travel travel = her.travel();
            her.plant_feet(travel);
            her.pose(pose);
            add(pose.data(), pose.size() * sizeof(gait::Transform));
            add(&travel, sizeof travel);
        }
        if (!taken) { return 1; }
    }
    std::printf("%016llx %zu %s\n", static_cast<unsigned long long>(sum), told,
                std::string(pack.character->states()[her.state()].name).c_str());
    return 0;
}
