/// The performance on a stage: it plays frame by frame, keeps what was asked of it, and can be taken back to any of its
/// last two minutes.
#pragma once

#include "gait/character.hpp"
#include "gait/cue_player.hpp"
#include "gait/events.hpp"
#include "gait/ground_place.hpp"
#include "gait/load.hpp"
#include "gait/performer.hpp"
#include "gait/plain_body.hpp"
#include "gait/smoothness.hpp"
#include "gait/steering.hpp"

#include "rig/foot_points.hpp"

#include <cstdint>
#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace gait::stage {

inline constexpr int frames_per_second = 60;
/// How far back it can be taken, in frames: two minutes.
inline constexpr std::int64_t frames_kept = 120 * frames_per_second;

/// The stick or the keys of a page, and where its camera looks.
struct Drive {
    Stick stick;
    float camera_heading = 0; ///< degrees
};

/// What somebody asks of the performance.
struct Input {
    enum class Kind : std::uint8_t { set, send, enter, drive, let_go };
    Kind kind = Kind::set;
    std::uint16_t what = 0; ///< a parameter or a state
    float value = 0;        ///< of a choice the index of its word, of a flag 0 or 1; of `enter` the seconds of its fade
    Drive drive;
};

/// Which parameters steer the body, as far as a document has such.
struct Steering {
    NumberParameter speed, heading;
    float top_speed = 0; ///< metres a second
    NumberValue allowed; ///< a value `top_speed`, which may say less
};
[[nodiscard]] Steering steering_of(const Character& character);

/// All that a frame comes from: copied, it goes on alike.
struct Moment {
    Performer performer;
    GroundPlace place;
    Facing facing;
    BodyMotion asked;
    double driven_speed = 0; ///< metres a second, as a body can change it
    std::optional<Drive> drive;
    std::optional<CuePlayer> cues; ///< until somebody takes over
};

/// What is shown of a frame beside the performer itself.
struct Shown {
    std::int64_t frame = 0;
    Travel travel; ///< of the step that led here
    double jolt = 0;
    Pop pop;                         ///< of the frame before this one
    double seam = 0;                 ///< degrees
    std::vector<Event> events;       ///< marks and spans
    std::vector<std::uint16_t> sent; ///< signals
    std::vector<bool> feet_down;
};

class Performance {
public:
    /// `loaded` holds a character.
    Performance(std::shared_ptr<const Loaded> loaded, const std::optional<CueSheet>& sheet);

    [[nodiscard]] const Loaded& loaded() const { return *loaded_; }
    [[nodiscard]] const Character& character() const { return now_.performer.character(); }
    [[nodiscard]] const Moment& now() const { return now_; }
    [[nodiscard]] const Shown& shown() const { return shown_; }
    [[nodiscard]] std::int64_t frame() const { return shown_.frame; }
    /// The newest frame that was played, and the oldest that it can be taken back to.
    [[nodiscard]] std::int64_t newest() const { return newest_; }
    [[nodiscard]] std::int64_t oldest() const { return kept_.front().frame; }
    [[nodiscard]] const std::vector<std::string>& feet() const { return foot_names_; }
    [[nodiscard]] const Steering& steering() const { return steering_; }

    /// Asked in the next frame. What had been played after the present one is forgotten.
    void ask(const Input& input);
    /// Plays a sixtieth of a second. Of what was played before the inputs are taken again, to the bit.
    void play();
    /// Goes to a frame, as near as it is kept.
    void go_to(std::int64_t frame);

    /// Goes on with a document that was changed; the frames before can no longer be gone back to. Returns the names of
    /// states that are gone.
    std::vector<std::string> reload(std::shared_ptr<const Loaded> loaded);

    /// What was asked so far, as a cue sheet that plays the same transitions at the same times.
    [[nodiscard]] std::string cue_sheet() const;
    /// The snap ratios over their bound that were found since this was called last.
    [[nodiscard]] std::vector<Snap> take_flaws();

private:
    struct Kept {
        std::int64_t frame = 0;
        Moment moment;
        Shown shown;
    };
    struct Asked {
        std::int64_t frame = 0; ///< before which it is taken
        Input input;
    };
    /// A line of the cue sheet.
    struct Written {
        std::int64_t frame = 0;
        Input input;
    };
    void take(const Input& input);
    void steer();
    void set(std::uint16_t parameter, float value);
    void forget_after(std::int64_t frame);
    void look_at_feet();
    void keep();
    void begin_watch();

    std::shared_ptr<const Loaded> loaded_;
    Moment now_;
    Shown shown_;
    std::int64_t newest_ = 0;
    std::deque<Kept> kept_;
    std::deque<Asked> asked_;
    std::vector<Written> written_;
    bool too_much_written_ = false;
    Steering steering_;
    PlainBody body_;
    bool plants_ = false;
    std::optional<detail::FootPoints> soles_;
    std::vector<std::string> foot_names_;
    std::vector<Transform> model_;
    std::vector<float> before_;        ///< parameters as a frame began
    std::optional<Performer> earlier_; ///< with the inputs of the frame that is played
    EventList passed_;
    std::optional<SmoothnessWatch> watch_;
    std::int64_t watched_from_ = 0;
    double flaws_until_ = -1; ///< seconds; those before were told
};

} // namespace gait::stage
