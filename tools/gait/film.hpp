/// A film: the body at even instants, drawn as a volume on a ground line with a metre scale.
#pragma once

#include "files/gltf_mesh.hpp"
#include "gait/footprints.hpp"
#include "gait/ground_place.hpp"
#include "gait/rig.hpp"
#include "gait/travel.hpp"

#include <CLI/CLI.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gait::tool {

enum class View {
    three_quarters,
    side,
    above,
    path, ///< from above, in the world: the way it goes, its footprints, and the body on it
};

struct Colour {
    double red = 0, green = 0, blue = 0;
};

/// One body of a film.
struct FilmBody {
    std::vector<Transform> pose; ///< local
    std::string label;           ///< under it
    std::string second_label;
    GroundPlace place = {};        ///< where it stands, for a film that follows the path
    std::vector<Colour> tint = {}; ///< a joint each; empty: her left and right in two colours
};

struct Film {
    std::string title;
    std::vector<FilmBody> bodies;
    /// The end of a clip over its start, with what to say of it; drawn last.
    std::optional<FilmBody> start, end;
    std::vector<GroundPlace> way;                    ///< of the whole performance
    std::vector<Footprint> footprints;               ///< on it
    double seconds_between = 0;                      ///< between two bodies: the pace of an animated film
    std::vector<std::pair<Colour, std::string>> key; ///< of a tint
};

/// The colour of a joint that counts so much in a mask, 0 to 1, and the key to it.
[[nodiscard]] Colour mask_tint(double weight);
[[nodiscard]] std::vector<std::pair<Colour, std::string>> mask_key(const std::string& mask);
/// The colour that stands for a layer.
[[nodiscard]] Colour layer_colour(std::size_t layer);
[[nodiscard]] Colour mixed(const Colour& from, const Colour& to, double share);

/// A pose as it stands in the world, but for the place itself.
[[nodiscard]] std::vector<Transform> turned(const std::vector<Transform>& pose, const Rig& rig,
                                            const GroundPlace& place);

/// Draws `film` to `path` (.png or .svg at 1280 x 800, .gif animated). Returns what went wrong.
[[nodiscard]] std::optional<std::string> draw_film(const Film& film, const Rig& rig, const detail::SkinnedMesh& mesh,
                                                   View view, const std::string& path);

/// How many pictures a moving film of so many seconds has, played `slow` times as slow: fifty a second.
[[nodiscard]] std::size_t moving_pictures(double seconds, double slow);

/// Adds `--film FILE`, `--view NAME` and `--slow N`.
void add_film_options(CLI::App& command, std::string& film, View& view, double& slow);

} // namespace gait::tool
