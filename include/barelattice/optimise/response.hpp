/// @file
/// Goals and limits as functions of the density. A new goal or limit is a new response.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/progress.hpp"
#include "barelattice/voxels/elastic_model.hpp"
#include "barelattice/voxels/grid_case.hpp"

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

/// The answers of all cases to one reading of the layout.
struct CaseStates {
  std::vector<double> compliances;                 ///< by case, J; infinite where the solve failed
  std::vector<std::vector<double>> displacements;  ///< by case, m: where the next solves start from
  std::vector<SolveReport> reports;                ///< by case
  std::vector<double> density;                     ///< the reading they belong to
  std::vector<Cycle> cycles;  ///< the multigrid cycle the next solves begin with, of each set of supports

  bool succeeded() const;
};

struct Superposition;

/// The compliances of all cases, J: C_k = f_k^T u_k, with their derivatives. Cases with the same supports
/// share one model, and of those whose loads are sums of each other's only a base is solved. A force on all
/// mass is that of the layout, m_e rho_e on each cell: then f depends on the design, and
///   dC / d(rho_e) = 2 u^T df / d(rho_e) - u^T dK / d(rho_e) u.
template <int D>
class CaseCompliances {
 public:
  /// @param grid must outlive the object.
  /// @param material in two dimensions that of a sheet.
  /// @param cellMass of each full cell, kg; needed only where a case has a force on all mass.
  /// @throws InputError if it is needed and missing.
  CaseCompliances(const Grid<D>& grid, const Material& material, std::vector<GridCase<D>> cases,
                  std::vector<double> fill, StiffnessLaw law, std::vector<double> cellMass = {});

  /// States to start from: all at rest.
  CaseStates rest() const;

  /// Solves all cases for a layout, each from what its state holds. A solve that fails is an answer as well:
  /// the case has an infinite compliance and starts the next time from rest.
  /// @throws Cancelled if the progress callback says so.
  void attempt(std::span<const double> density, CaseStates& states);

  /// @throws RunError when a solve has failed, naming the case and the reason.
  void requireSuccess(const CaseStates& states) const;

  /// dC_k / d(density) at the layout of the states.
  void gradient(const CaseStates& states, std::size_t k, std::span<double> gradient) const;

  /// Tightens or relaxes coming solves.
  void setTolerance(double energyTolerance) { options_.energyTolerance = energyTolerance; }
  void setMostIterations(int iterations) { options_.maxIterations = iterations; }
  /// Progress within an evaluation, one report for each set of supports.
  void setProgress(ProgressCallback progress) { progress_ = std::move(progress); }

  const std::vector<GridCase<D>>& cases() const { return cases_; }

 private:
  /// Cases that stand on the same supports.
  struct Group {
    std::unique_ptr<ElasticModel<D>> model;
    std::vector<std::size_t> cases;
    std::shared_ptr<const Superposition> loads;  // by place in `cases`
  };
  Superposition superpositionOf(const std::vector<std::size_t>& cases) const;
  void solve(const Group& group, std::size_t number, std::span<const double> density, CaseStates& states);
  bool combine(const Group& group, std::size_t place, std::span<const double> weighing,
               CaseStates& states) const;
  std::vector<double> bodyForces(std::span<const double> density, const Vec3& perMass) const;

  const Grid<D>& grid_;
  std::vector<GridCase<D>> cases_;
  std::vector<double> fill_;
  std::vector<double> cellMass_;
  StiffnessLaw law_;
  std::vector<Group> groups_;
  std::vector<std::size_t> groupOf_;  // by case
  SolveOptions options_;
  ProgressCallback progress_;
};

/// Weighted sum of the compliances of all cases, J: C = sum_k w_k C_k. Minimising it is the goal "stiffest".
template <int D>
class WeightedCompliance final : public Response {
 public:
  /// @param compliances must outlive the response.
  explicit WeightedCompliance(CaseCompliances<D>& compliances)
      : compliances_(compliances), states_(compliances.rest()) {}
  /// @throws RunError when a solve fails, naming the case and the reason.
  double evaluate(std::span<const double> density, std::span<double> gradient) override;

  const CaseStates& states() const { return states_; }

 private:
  CaseCompliances<D>& compliances_;
  CaseStates states_;
};

}  // namespace barelattice
