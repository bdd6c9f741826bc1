/** \file
 * The runtime for C, and for whatever calls C: open a packed character, play performers, take poses.
 *
 * Every function may be called with null pointers: what it was to do is refused. Nothing is thrown over this border.
 * Units are those of the library: metres, seconds, degrees; right-handed, +Y up, a character faces +Z; rotations are
 * x, y, z, w. Different performers may be used from different threads at once, one from one thread at a time.
 */
#ifndef GAIT_GAIT_H
#define GAIT_GAIT_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#if defined(__GNUC__)
#define GAIT_C_API __attribute__((visibility("default")))
#else
#define GAIT_C_API
#endif

/** A packed character that was opened; shared by all that play it. */
typedef struct gait_character gait_character;
/** One living instance of it. */
typedef struct gait_performer gait_performer;

/** What became of a call. `gait_problem` says more of the last one on this thread that went wrong. */
typedef enum gait_result {
    GAIT_OK = 0,
    GAIT_REFUSED = 1,    /**< a number that cannot be, a handle of nothing or of another kind, room for too few */
    GAIT_UNREADABLE = 2, /**< a file that cannot be read */
    GAIT_NOT_A_PACK = 3, /**< no packed character, or one of another version or another kind of machine */
    GAIT_DAMAGED = 4,    /**< cut short, or not as it was written */
    GAIT_NO_MEMORY = 5
} gait_result;

/** A place in one of a character's lists, found by name once. */
typedef uint16_t gait_handle;
#define GAIT_NOTHING ((gait_handle)0xFFFF)

/** A joint's transform, relative to its parent or in model space. */
typedef struct gait_transform {
    float rotation[4];    /**< x, y, z, w; of length 1 */
    float translation[3]; /**< metres */
    float scale[3];
} gait_transform;

/** How a body moved in a step, in its own frame as that began. */
typedef struct gait_travel {
    float move[3]; /**< metres: to its left (+X), up, ahead (+Z) */
    float turn;    /**< degrees, positive to its right */
    float share;   /**< the part of the body's motion that was its clips' to give, 0 to 1 */
} gait_travel;

/** What an event tells. */
typedef enum gait_event_kind {
    GAIT_SPAN_ENDED = 0,
    GAIT_MARK = 1,
    GAIT_SPAN_BEGUN = 2,
    GAIT_FINISHED = 3,
    GAIT_LEFT = 4,
    GAIT_ENTERED = 5
} gait_event_kind;

/** One thing that happened. */
typedef struct gait_event {
    double time;       /**< seconds since the performer's start or reset */
    int32_t kind;      /**< a `gait_event_kind` */
    gait_handle what;  /**< of a mark or a span: see `gait_mark_name`, `gait_span_name` */
    gait_handle state; /**< whose motion it is, or what was entered */
    float weight;      /**< of a mark or a span: its clip's share of the pose, 0 to 1 */
} gait_event;

/** What went wrong last on this thread, in a sentence; empty where nothing did. Valid until the next call. */
GAIT_C_API const char* gait_problem(void);

/** Opens a packed character from memory, which may go afterwards. */
GAIT_C_API gait_result gait_open(const void* bytes, size_t count, gait_character** out);
/** The same from a file, whose clips are played where they lie. */
GAIT_C_API gait_result gait_open_file(const char* path, gait_character** out);
/** The same, sharing equal clips with a character that is open already; null: with none. */
GAIT_C_API gait_result gait_open_file_like(const char* path, const gait_character* other, gait_character** out);
/** Lets go of it; performers that play it go on. */
GAIT_C_API void gait_close(gait_character* character);

/** How many joints every pose has. */
GAIT_C_API size_t gait_joint_count(const gait_character* character);
/** A joint's name; null for one that is not there. */
GAIT_C_API const char* gait_joint_name(const gait_character* character, size_t joint);
/** The joint it hangs on; -1 for a root, and for one that is not there. */
GAIT_C_API int32_t gait_joint_parent(const gait_character* character, size_t joint);

/** Handles by name; GAIT_NOTHING where there is none of that kind. A state inside others is `air.take_off`. */
GAIT_C_API gait_handle gait_find_number(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_flag(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_choice(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_signal(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_state(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_one_shot(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_number_value(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_flag_value(const gait_character* character, const char* name);
GAIT_C_API gait_handle gait_find_choice_value(const gait_character* character, const char* name);
/** Names by handle; null where there is none. They live as long as the character. */
GAIT_C_API const char* gait_state_name(const gait_character* character, gait_handle state);
GAIT_C_API const char* gait_mark_name(const gait_character* character, gait_handle mark);
GAIT_C_API const char* gait_span_name(const gait_character* character, gait_handle span);

/** A performer at its machine's start. */
GAIT_C_API gait_result gait_create(const gait_character* character, gait_performer** out);
GAIT_C_API void gait_destroy(gait_performer* performer);
/** Makes the one a twin of the other, which would go on alike. */
GAIT_C_API gait_result gait_copy(gait_performer* to, const gait_performer* from);
/** Back to the start. */
GAIT_C_API void gait_reset(gait_performer* performer);
/** What random choices are drawn from. */
GAIT_C_API void gait_set_seed(gait_performer* performer, uint64_t seed);
/** How large the body is against its rig. */
GAIT_C_API gait_result gait_set_scale(gait_performer* performer, float scale);
/** How closely it is looked at: so many joints from the rig's first on, a pose every so many steps. */
GAIT_C_API gait_result gait_set_detail(gait_performer* performer, size_t joints, unsigned every);

/** Inputs, by their handles. What is refused changes nothing. */
GAIT_C_API gait_result gait_set_number(gait_performer* performer, gait_handle parameter, float value);
GAIT_C_API gait_result gait_set_flag(gait_performer* performer, gait_handle parameter, int value);
GAIT_C_API gait_result gait_set_choice(gait_performer* performer, gait_handle parameter, const char* value);
GAIT_C_API gait_result gait_send(gait_performer* performer, gait_handle signal);
GAIT_C_API gait_result gait_play_once(gait_performer* performer, gait_handle one_shot);
/** Jumps to a state, faded in over so many seconds. */
GAIT_C_API gait_result gait_enter(gait_performer* performer, gait_handle state, double fade);

/** Plays so many seconds of time. */
GAIT_C_API gait_result gait_advance(gait_performer* performer, double seconds);
/** The same, and tells what happened: up to `room` events into `events`, and in `count` how many there were. */
GAIT_C_API gait_result gait_advance_and_tell(gait_performer* performer, double seconds, gait_event* events, size_t room,
                                             size_t* count);

/** How the body moved in the last step. */
GAIT_C_API gait_result gait_get_travel(const gait_performer* performer, gait_travel* out);
/** Holds the feet that are down, now that the body has moved by `moved`. */
GAIT_C_API gait_result gait_plant_feet(gait_performer* performer, const gait_travel* moved);

/** The pose [joint], each relative to its parent, or in model space; `room` holds `gait_joint_count` at least. */
GAIT_C_API gait_result gait_pose(const gait_performer* performer, gait_transform* out, size_t room);
GAIT_C_API gait_result gait_model_pose(const gait_performer* performer, gait_transform* out, size_t room);
/** Model matrices, and those times the inverse bind matrices [joint][16], column by column; `room` counts joints. */
GAIT_C_API gait_result gait_model_matrices(const gait_performer* performer, float* out, size_t room);
GAIT_C_API gait_result gait_skinning_matrices(const gait_performer* performer, float* out, size_t room);

/** Seconds since the start or reset. */
GAIT_C_API double gait_time(const gait_performer* performer);
/** The active state of a layer, the innermost one; 0 is the lowest layer. */
GAIT_C_API gait_handle gait_state(const gait_performer* performer, size_t layer);
/** 1 where a state is active, or holds the one that is. */
GAIT_C_API int gait_is_active(const gait_performer* performer, gait_handle state);
/** What the active states give; 0 and null for a handle of nothing. */
GAIT_C_API float gait_number_value(const gait_performer* performer, gait_handle value);
GAIT_C_API int gait_flag_value(const gait_performer* performer, gait_handle value);
/** Copies the word, cut to `room` bytes with the 0 at its end, into `out`; gives its whole length. */
GAIT_C_API size_t gait_choice_value(const gait_performer* performer, gait_handle value, char* out, size_t room);
/** How many values, steps and chains were refused since the start or reset. */
GAIT_C_API uint64_t gait_fault_count(const gait_performer* performer);
/** Hears why a call was refused, in a sentence, before that returns: "set 'speed': a number must be a number, not nan".
 * The sentence is gone afterwards. */
typedef void (*gait_refusal_listener)(const char* sentence, void* context);
/** Who hears of every call that a performer of this process refuses from now on; null for nobody. Set it while no
 * performer is in use. */
GAIT_C_API void gait_hear_refusals(gait_refusal_listener listener, void* context);

/** The performer's whole state as bytes, to store: of a length that is the same for all of a character. */
GAIT_C_API size_t gait_bytes(const gait_performer* performer, const void** out);
/** Takes them over, whoever stored them; GAIT_DAMAGED for what is no state of this character. */
GAIT_C_API gait_result gait_restore(gait_performer* performer, const void* bytes, size_t count);

/** Pins the vector instruction set by name, so that results are the same bit for bit; null lets the machine choose. */
GAIT_C_API gait_result gait_pin_target(const char* name);

#ifdef __cplusplus
}
#endif

#endif
