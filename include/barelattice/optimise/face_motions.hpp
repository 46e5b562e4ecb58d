/// @file
/// How far a face moves or turns in each case.
#pragma once

#include <optional>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// Which mean motion of a face is told.
struct FaceMotion {
  FaceTies face;
  std::optional<FaceTies> over = {};  ///< the motion is what the face's is over that of this one
  bool turn = false;                  ///< its rotation, rad; else its displacement, m
  std::optional<Vec3> along =
      {};  ///< the part along this direction, whichever way; else the size of all of it
};

/// The mean motion of a face, in each case. From m = W^T u, W the mean motions of the face,
///   g = |m|,  dg/du = W m / |m|,   or   g = |d^T m|,  dg/du = +-W d.
/// A face that stays where it is has no derivative: it is told as none. One adjoint solve for each.
class FaceMotions final : public Response {
 public:
  /// @param name heads the columns: "name_in_push_m" or "..._rad".
  /// @throws InputError if nothing of a face is on the body, or it does not turn about what is asked for.
  FaceMotions(std::string name, const FaceMotion& motion, const DofOrder& order);

  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override;
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  std::optional<AdjointLoad> adjointLoad(const Analysed& at, std::size_t which) const override;
  void gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                    std::span<double> gradient) const override;
  bool heldByCompliance() const override { return true; }
  /// A loaded face moves no less along its load than the full domain lets it; across it and of other faces
  /// nothing is known, so that half of it is given for the size, and nothing for parts.
  double mostGain(const Analysis& analysis, std::size_t which) const override;

 private:
  Eigen::VectorXd motion(std::span<const double> displacement) const;

  std::string name_, unit_;
  bool whole_;                       // the size of a displacement
  std::vector<NodalVectors> means_;  // the components of m
  DofOrder order_;
};

}  // namespace barelattice
