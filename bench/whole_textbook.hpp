/// The graph of `whole_of`, evaluated as a textbook would.
#pragma once

#include "crowd.hpp"
#include "textbook.hpp"

#include <array>
#include <vector>

namespace bench {

/// What is set each frame.
struct WholeInputs {
    float x = 0, y = 0, lean = 0;
};

class WholeTextbook {
public:
    /// With the masks as `character`, from `whole_of`, has them.
    WholeTextbook(const Material& material, const gait::Character& character);

    TextbookPose advance(double seconds, const WholeInputs& inputs);

private:
    /// A state that plays, with the weights that it had last.
    struct Playing {
        bool going = true;
        std::array<std::size_t, 3> points{};
        std::array<float, 3> shares{};
        float lean = 0;
    };
    void weigh(Playing& playing, const WholeInputs& inputs) const;
    [[nodiscard]] TextbookPose pose_of(const Playing& playing) const;
    [[nodiscard]] TextbookPose clip(std::size_t index) const { return sample(clips_[index], rest_, float(phase_)); }

    TextbookPose rest_;
    std::vector<TextbookClip> clips_;
    std::vector<gait::detail::PlanePoint> sites_;
    std::vector<std::array<std::size_t, 3>> triangles_;
    TextbookPose lean_reference_;
    gait::KeptList<float> arms_mask_, wave_mask_;
    Playing below_, active_;
    bool fading_ = false;
    double phase_ = 0, time_ = 0, elapsed_ = 0; ///< seconds
};

} // namespace bench
