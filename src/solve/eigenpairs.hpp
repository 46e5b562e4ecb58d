/// @file
/// The lowest eigenpairs of K x = l M x, whatever the discretisation.
#pragma once

#include <Eigen/Core>
#include <functional>
#include <span>
#include <vector>

#include "barelattice/mechanics/face_ties.hpp"

namespace barelattice {

/// What an eigenproblem is made of. Vectors have `size()` entries.
class ModalSystem {
 public:
  virtual ~ModalSystem() = default;
  virtual std::size_t size() const = 0;
  /// y = K x, nothing at what is held.
  virtual void stiff(std::span<const double> x, std::span<double> y) = 0;
  /// x = M x.
  virtual void weigh(std::span<double> x) const = 0;
  /// z = B r, B close to the inverse of K.
  virtual void precondition(std::span<const double> r, std::span<double> z) = 0;
  /// Takes out of x what supports hold.
  virtual void project(std::span<double> x) const = 0;
};

struct Eigenpairs {
  Eigen::VectorXd values;                    ///< lowest first
  std::vector<std::vector<double>> vectors;  ///< x^T M x = 1; those asked for, then their guards
  std::vector<double> errors;                ///< estimated relative errors of the values
  int iterations = 0;
  bool converged = false;  ///< those asked for are within the tolerance
};

/// How many pairs, how exact (relative error of the values, as estimated), in how many iterations at most.
struct EigenOptions {
  int count = 1;
  double tolerance = 1e-6;
  int maxIterations = 200;
};

/// LOBPCG (Knyazev 2001). Memory: 9 vectors in double precision for each pair and for two more that guard the
/// highest. @param start vectors to begin with; fewer than are needed are made up for. @param goOn asked in
/// each iteration. @throws Cancelled if it says no.
Eigenpairs lowestEigenpairs(ModalSystem& system, const EigenOptions& options,
                            std::span<const std::vector<double>> start = {},
                            const std::function<bool()>& goOn = {});

/// How many vectors are iterated beyond those asked for.
inline constexpr int kGuardPairs = 2;

/// What is carried by mean motions: the mass matrix m W W^T of each, W the mean motion of its face along an
/// axis at its place.
class CarriedMass {
 public:
  /// @param components 3, or 2 in the plane.
  void carry(const FaceTies& face, const Vec3& at, double mass, int components) {
    std::vector<NodalVectors> own = meanMotions(face, Eigen::Matrix3d::Identity(), at);
    for (int i = 0; i < components; ++i) {
      motions_.push_back(std::move(own[static_cast<std::size_t>(i)]));
      masses_.push_back(mass);
    }
  }
  /// y += M u.
  void add(std::span<const double> u, const DofOrder& order, std::span<double> y) const {
    for (std::size_t i = 0; i < motions_.size(); ++i)
      order.add(motions_[i], masses_[i] * order.dot(motions_[i], u), y);
  }
  bool empty() const { return motions_.empty(); }

 private:
  std::vector<NodalVectors> motions_;
  std::vector<double> masses_;  // kg
};

}  // namespace barelattice
