#include <gait/gait.hpp>

#include <cstdio>

int main(int, char** arguments) {
    const gait::Loaded loaded = gait::load(arguments[1]);
    if (!loaded.character) { return 1; }
    gait::Performer performer(loaded.character);
    performer.set("speed", 2);
    performer.advance(1);
    std::printf("%s\n", std::string(performer.state_name()).c_str());
    return performer.state_name() == "moving" ? 0 : 1;
}
