/// @file
/// How far a face moves.
#pragma once

#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// The size of a face's mean displacement in each case, m: |W^T u|, with W the three mean motions along the
/// axes. Its derivative by u is W W^T u / |W^T u|, and none where the face does not move at all. One adjoint
/// solve for each derivative.
class FaceDisplacements final : public Response {
 public:
  /// @param ties of the face to the nodes of the analysis. @param order of its degrees of freedom.
  /// @throws InputError if nothing of the face is there.
  FaceDisplacements(std::string face, const FaceTies& ties, const DofOrder& order);

  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override;
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  std::optional<AdjointLoad> adjointLoad(const Analysed& at, std::size_t which) const override;
  void gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                    std::span<double> gradient) const override;

 private:
  Vec3 motion(std::span<const double> displacement) const;

  std::string face_;
  std::vector<NodalVectors> means_;  // along x, y, z
  DofOrder order_;
};

}  // namespace barelattice
