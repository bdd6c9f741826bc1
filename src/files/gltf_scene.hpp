/// A glTF file opened and checked: what the importer and the baker both stand on.
#pragma once

#include "files/file_problems.hpp"
#include "gait/body_reading.hpp"
#include "gait/file_reader.hpp"
#include "gait/rig.hpp"

#include <Eigen/Geometry>
#include <tiny_gltf.h>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

/// How a joint's node relates to the rig's joint.
struct JointNode {
    int node = -1;
    double scale = 1; ///< of the nodes above the skeleton: lengths on the rig = scale * the node's
    Eigen::Affine3d above = Eigen::Affine3d::Identity(); ///< roots: the nodes above, folded in
};

struct GltfScene {
    tinygltf::Model model;
    std::vector<int> parents; ///< a node each; -1 for roots
    std::vector<int> order;   ///< of the nodes: depth first, in the file's order
    Rig rig;
    std::vector<JointNode> joints; ///< beside `rig.joints`
};

/// Opens `path`; empty when `problems` has errors.
[[nodiscard]] std::optional<GltfScene> open_gltf(const std::filesystem::path& path, const std::string& skin,
                                                 FileProblems& problems, const BodyReading& how = {},
                                                 const FileReader& files = {});

/// How many numbers may still be read from a file. Channels may share an accessor, and an accessor may hold nothing but
/// zeros, so a small file can ask for any amount; what it gets stands in proportion to its size.
class ReadBudget {
public:
    explicit ReadBudget(const tinygltf::Model& model);
    /// Takes so many; false, and nothing is taken, when there are not so many left.
    [[nodiscard]] bool take(std::size_t numbers);

private:
    std::size_t left_;
};

/// The numbers of an accessor, component by component, with integers normalised and sparse ones applied. Empty with an
/// error in `problems` when anything about it is wrong. `what` names the user of the accessor.
[[nodiscard]] std::optional<std::vector<double>> read_accessor(const tinygltf::Model& model, int index, int type,
                                                               const std::string& what, ReadBudget& budget,
                                                               FileProblems& problems);

} // namespace gait::detail
