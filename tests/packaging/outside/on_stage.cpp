#include <gait/stage.hpp>

#include <cstdio>

int main(int, char** arguments) {
    gait::StageDefinition definition;
    definition.document = arguments[1];
    const gait::Stage stage(definition);
    std::printf("%s\n", stage.address().c_str());
    return 0;
}
