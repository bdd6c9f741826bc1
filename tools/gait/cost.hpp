/// What `gait perform --cost` tells: what the frames of a performance take, and which part of the document takes it.
#pragma once

#include "gait/character.hpp"
#include "gait/cue_sheet.hpp"
#include "gait/load.hpp"
#include "gait/performer.hpp"

#include <nlohmann/json.hpp>

#include <array>
#include <functional>
#include <string>
#include <vector>

namespace gait::tool {

/// Microseconds of a frame: to decide and move on, for its pose, and to plant its feet.
struct FrameCost {
    double moving_on = 0, pose = 0, feet = 0;
    [[nodiscard]] double all() const { return moving_on + pose + feet; }
};

/// Plays a performance again and again, by turns with what it would be without this or that part, and keeps of each
/// frame the least that it took: a machine that others share goes now faster, now slower.
class Costing {
public:
    /// Begins a performance of a character: sets it up as it was asked for.
    using Begin = std::function<Performer(const std::shared_ptr<const Character>&)>;

    /// `cues` may be null. `document` is compiled again without this or that part.
    Costing(const Loaded& loaded, const CueSheet* cues, Begin begin, double seconds, double frames_per_second);

    /// For people.
    [[nodiscard]] std::string text() const;
    [[nodiscard]] nlohmann::json json() const;

private:
    struct Frame {
        FrameCost cost;
        std::vector<std::uint16_t> states; ///< a layer each
        std::string transitions;           ///< that fell in it
    };
    /// A character, and what it takes.
    struct Played {
        std::shared_ptr<const Character> character;
        std::vector<Frame> frames;
        FrameCost mean;
    };
    /// A part of the document, and the character without it.
    struct Part {
        std::string name;
        Played without;
    };
    /// A state's frames.
    struct Row {
        std::string state;
        std::size_t frames = 0;
        FrameCost mean;
    };

    [[nodiscard]] static std::vector<Part> parts_of(const Loaded& loaded);
    /// Plays it once; `visit(frame)` is told how far that is.
    void play(Played& played, const std::function<void(std::size_t frame)>& visit) const;
    [[nodiscard]] static FrameCost mean_of(const std::vector<Frame>& frames);
    [[nodiscard]] std::vector<Row> rows() const;
    [[nodiscard]] std::vector<std::size_t> dearest() const;

    const CueSheet* cues_;
    Begin begin_;
    double seconds_, frames_per_second_;
    Played whole_;
    std::vector<Part> parts_;
};

} // namespace gait::tool
