/* Plays a pack by inputs from a file, in C11, and prints a sum of all its poses: see c_test.cpp. */
#include <gait/gait.h>

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static uint64_t summed(uint64_t sum, const void* bytes, size_t count) {
    const unsigned char* at = (const unsigned char*)bytes;
    for (size_t i = 0; i < count; ++i) { sum = (sum ^ at[i]) * UINT64_C(1099511628211); }
    return sum;
}

int main(int count, char** arguments) {
    gait_character* character = NULL;
    gait_performer* performer = NULL;
    if (count != 3 || gait_pin_target("SSE4") != GAIT_OK) { return 2; }
    if (gait_open_file(arguments[1], &character) != GAIT_OK || gait_create(character, &performer) != GAIT_OK) {
        fprintf(stderr, "%s\n", gait_problem());
        return 2;
    }
    FILE* inputs = fopen(arguments[2], "r");
    const size_t joints = gait_joint_count(character);
    gait_transform* pose = (gait_transform*)calloc(joints, sizeof *pose);
    if (inputs == NULL || pose == NULL) { return 2; }
    uint64_t sum = UINT64_C(14695981039346656037);
    size_t events = 0;
    char kind = 0, name[64], value[64];
    while (fscanf(inputs, " %c %63s %63s", &kind, name, value) == 3) {
        gait_result taken = GAIT_OK;
        if (kind == 'n') { taken = gait_set_number(performer, gait_find_number(character, name), strtof(value, NULL)); }
        if (kind == 'f') { taken = gait_set_flag(performer, gait_find_flag(character, name), value[0] == '1'); }
        if (kind == 'c') { taken = gait_set_choice(performer, gait_find_choice(character, name), value); }
        if (kind == 's') { taken = gait_send(performer, gait_find_signal(character, name)); }
        if (kind == 'a') { /* a frame */
            gait_event told[64];
            gait_travel travel;
            size_t many = 0;
            taken = gait_advance_and_tell(performer, strtod(value, NULL), told, 64, &many);
            events += many;
            gait_get_travel(performer, &travel);
            gait_plant_feet(performer, &travel);
            gait_pose(performer, pose, joints);
            sum = summed(sum, pose, joints * sizeof *pose);
            sum = summed(sum, &travel, sizeof travel);
        }
        if (taken != GAIT_OK) {
            fprintf(stderr, "%c %s %s: %s\n", kind, name, value, gait_problem());
            return 1;
        }
    }
    printf("%016llx %zu %s\n", (unsigned long long)sum, events, gait_state_name(character, gait_state(performer, 0)));
    fclose(inputs);
    free(pose);
    gait_destroy(performer);
    gait_close(character);
    return 0;
}
