/* The runtime from C: she sets off, strolls and stops, and says which foot comes down.
 *
 *   gait pack demo/lamplighter.gait.yaml --strip -o lamplighter.gaitpack
 *   stroll lamplighter.gaitpack
 */
#include <gait/gait.h>

#include <stdio.h>
#include <string.h>

int main(int count, char** arguments) {
    gait_character* character = NULL;
    gait_performer* her = NULL;
    if (gait_open_file(count > 1 ? arguments[1] : "lamplighter.gaitpack", &character) != GAIT_OK ||
        gait_create(character, &her) != GAIT_OK) {
        fprintf(stderr, "stroll: %s\n", gait_problem());
        return 2;
    }
    /* Handles are found once. */
    const gait_handle speed = gait_find_number(character, "speed");
    size_t hand = 0;
    while (hand < gait_joint_count(character) && strcmp(gait_joint_name(character, hand), "right_hand") != 0) {
        ++hand;
    }

    /* Every frame: what the game knows, one call, what happened, the pose. */
    for (int frame = 0; frame < 300; ++frame) {
        gait_event events[16];
        size_t many = 0;
        gait_set_number(her, speed, frame > 60 && frame < 240 ? 1.4F : 0.0F);
        gait_advance_and_tell(her, 1.0 / 60, events, 16, &many);
        for (size_t e = 0; e < many && e < 16; ++e) {
            if (events[e].kind == GAIT_MARK && events[e].weight > 0.5F) {
                printf("%.2f s  %s\n", events[e].time, gait_mark_name(character, events[e].what));
            }
        }
        if (frame % 60 == 59) {
            gait_transform pose[128];
            if (gait_model_pose(her, pose, 128) == GAIT_OK && hand < gait_joint_count(character)) {
                const float* at = pose[hand].translation;
                printf("%.2f s  %s, her right hand is at (%.2f, %.2f, %.2f) m\n", gait_time(her),
                       gait_state_name(character, gait_state(her, 0)), (double)at[0], (double)at[1], (double)at[2]);
            }
        }
    }
    gait_destroy(her);
    gait_close(character);
    return 0;
}
