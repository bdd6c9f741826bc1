/// \file
/// The stage: a document played live, for pages in a browser on this machine to watch, drive and tune.
#pragma once

#include "gait/api.hpp"
#include "gait/diagnostic.hpp"
#include "gait/load.hpp"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>

namespace gait {

/// What is put on a stage.
struct StageDefinition {
    std::filesystem::path document; ///< `NAME.gait.yaml`; watched, with all it names, and reloaded as it is saved
    std::filesystem::path cues;     ///< a cue sheet to begin with; empty: nobody sets anything until a page does
    Completeness completeness = Completeness::complete;
    std::uint16_t port = 0; ///< on 127.0.0.1; 0: one that is free
};

/// A stage could not be set up: the port is taken, or the files are no document that plays.
class GAIT_API StageError : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
    Diagnostics diagnostics; ///< of the files, when they are to blame
};

/// One performance on its own clock, sixty frames a second, for any number of pages. It listens on 127.0.0.1 alone, and
/// only to whoever knows the address, which holds a token that is drawn anew each time.
class GAIT_API Stage {
public:
    /// Loads and listens; nothing plays before `run`. Throws StageError.
    explicit Stage(const StageDefinition& definition);
    ~Stage();
    Stage(const Stage&) = delete;
    Stage& operator=(const Stage&) = delete;

    /// What to open in a browser: `http://127.0.0.1:PORT/TOKEN/`.
    [[nodiscard]] std::string address() const;
    /// What was remarked on the files as they were loaded.
    [[nodiscard]] const Diagnostics& diagnostics() const;

    /// Plays and answers until `stop` is called.
    void run();
    /// Ends `run`; from any thread.
    void stop();

private:
    struct Inside;
    std::unique_ptr<Inside> inside_;
};

/// A played performance as one page that needs nothing else: body, plan and score, to go through by hand. `cues` must
/// say how long, or `seconds` be more than 0. Throws StageError.
[[nodiscard]] GAIT_API std::string saved_stage(const StageDefinition& definition, double seconds = 0);

} // namespace gait
