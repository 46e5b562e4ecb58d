/// @file
/// Goals and limits as functions of the density. A new goal or limit is a new response.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/progress.hpp"
#include "barelattice/elasticity/elastic_model.hpp"

namespace barelattice {

/// A scalar function of the physical density with its exact derivative.
class Response {
 public:
  virtual ~Response() = default;
  /// @param density one entry per cell, 0 to 1.
  /// @param[out] gradient d(value)/d(density), one entry per cell.
  virtual double evaluate(std::span<const double> density, std::span<double> gradient) = 0;
};

/// Mass of the layout over the mass of the full domain: sum(v rho) / sum(v).
class MassFraction final : public Response {
 public:
  /// @param fill share of each cell that exists.
  explicit MassFraction(std::vector<double> fill);
  double evaluate(std::span<const double> density, std::span<double> gradient) override;
  double value(std::span<const double> density) const;

 private:
  std::vector<double> fill_;
  double total_;
};

/// How stiffness grows with density: modified SIMP (Bendsoe & Sigmund 1999; Sigmund 2007),
///   share = v (floor + (1 - floor) rho^penalty).
struct StiffnessLaw {
  double penalty = 3;   ///< 1 or more; 3 makes intermediate densities uneconomical
  double floor = 1e-9;  ///< stiffness of empty cells, above 0, so that every displacement is defined

  double share(double density) const;
  double derivative(double density) const;
};

/// One load case on the grid.
struct GridCase {
  std::string name;
  double weight = 1;              ///< its share in the weighted sum, or the factor on it where the worst case
                                  ///< governs; not negative
  Forces force;                   ///< N
  std::vector<std::size_t> held;  ///< supported degrees of freedom, ascending
};

/// The compliances of all cases, J: C_k = f_k^T u_k, with their derivatives. Cases with the same supports
/// share one model.
template <int D>
class CaseCompliances {
 public:
  /// @param grid must outlive the object.
  /// @param material in two dimensions that of a sheet.
  CaseCompliances(const Grid<D>& grid, const Material& material, std::vector<GridCase> cases,
                  std::vector<double> fill, StiffnessLaw law);

  /// Solves all cases for a layout, each from its last answer.
  /// @return the compliances by case.
  /// @throws RunError when a solve fails, naming the case and the reason.
  const std::vector<double>& evaluate(std::span<const double> density);

  /// dC_k / d(density) at the layout evaluated last.
  void gradient(std::size_t k, std::span<double> gradient) const;

  /// Tightens or relaxes the solves of coming evaluations.
  void setTolerance(double energyTolerance) { options_.energyTolerance = energyTolerance; }
  /// Progress within an evaluation, one report for each set of supports.
  void setProgress(ProgressCallback progress) { progress_ = std::move(progress); }
  /// Replaces the displacements the next solves start from.
  void setDisplacements(std::vector<std::vector<double>> displacements) {
    displacements_ = std::move(displacements);
  }

  /// The multigrid cycles the next solves begin with, one for each set of supports.
  std::vector<Cycle> cycles() const;
  void setCycles(const std::vector<Cycle>& cycles);

  const std::vector<GridCase>& cases() const { return cases_; }
  /// Of the last evaluation, by case.
  const std::vector<SolveReport>& reports() const { return reports_; }
  const std::vector<std::vector<double>>& displacements() const { return displacements_; }

 private:
  void take(std::size_t k, const SolveReport& solved);

  std::vector<GridCase> cases_;
  std::vector<double> fill_;
  StiffnessLaw law_;
  std::vector<std::unique_ptr<ElasticModel<D>>> models_;  // one per set of supports
  std::vector<std::size_t> modelOf_;                      // by case
  SolveOptions options_;
  ProgressCallback progress_;
  std::vector<double> density_;  // evaluated last
  std::vector<double> compliances_;
  std::vector<std::vector<double>> displacements_;
  std::vector<SolveReport> reports_;
};

/// Weighted sum of the compliances of all cases, J: C = sum_k w_k C_k. Minimising it is the goal "stiffest".
template <int D>
class WeightedCompliance final : public Response {
 public:
  /// @param compliances must outlive the response.
  explicit WeightedCompliance(CaseCompliances<D>& compliances) : compliances_(compliances) {}
  double evaluate(std::span<const double> density, std::span<double> gradient) override;

 private:
  CaseCompliances<D>& compliances_;
};

}  // namespace barelattice
