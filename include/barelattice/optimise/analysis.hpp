/// @file
/// The analysis of one reading of a layout: displacements of all cases, and what derivatives need of them.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/progress.hpp"
#include "barelattice/grid/held_field.hpp"
#include "barelattice/optimise/material_laws.hpp"
#include "barelattice/voxels/elastic_model.hpp"
#include "barelattice/voxels/grid_case.hpp"
#include "barelattice/voxels/mirror_piece.hpp"
#include "barelattice/voxels/natural_modes.hpp"

namespace barelattice BARELATTICE_API {

/// Natural modes under one set of supports.
struct ModeStates {
  std::vector<double> squared;  ///< (2 pi f)^2, 1/s2, lowest first; none where they were not found
  std::vector<std::vector<double>> shapes;  ///< with a kinetic mass of 1 kg, then their guards: where the
                                            ///< next ones start
};

/// The answers of all cases to one reading of the layout.
struct CaseStates {
  std::vector<double> compliances;                 ///< by case, J; infinite where the solve failed
  std::vector<std::vector<double>> displacements;  ///< by case, m: where the next solves start from
  std::vector<SolveReport> reports;                ///< by case
  std::vector<double> density;                     ///< the reading they belong to
  std::vector<Cycle> cycles;  ///< the multigrid cycle the next solves begin with, of each set of supports
  std::vector<ModeStates> modes = {};  ///< of each set of supports; empty before any were asked for

  bool succeeded() const;
};

/// A function g(u_k) of the displacements of a case, by its derivative.
struct AdjointLoad {
  std::size_t k = 0;                   ///< the case
  std::vector<double> byDisplacement;  ///< dg/du; entries that are held do not matter
};

/// What responses may ask of an analysis, whatever the body is divided into. Fields of displacements and
/// forces have one entry per degree of freedom, fields of derivatives one per cell.
class Analysis {
 public:
  virtual ~Analysis() = default;
  virtual std::size_t caseCount() const = 0;
  virtual const std::string& caseName(std::size_t k) const = 0;
  /// Whether the force of a case depends on the layout, as weight does.
  virtual bool loadFollowsLayout(std::size_t k) const = 0;

  /// dC_k / d(density), the compliance C_k = f_k^T u_k, J.
  virtual void complianceGradient(const CaseStates& at, std::size_t k, std::span<double> gradient) const = 0;

  /// The adjoint state l of a function g(u_k) of the displacements: K l = dg/du on the supports of case k. It
  /// is found anew from rest, at the reading of the states.
  /// @param byDisplacement dg/du; entries that are held do not matter.
  /// @throws RunError if the solve fails.
  virtual std::vector<double> adjoint(const CaseStates& at, std::size_t k,
                                      std::span<const double> byDisplacement) = 0;
  /// The adjoint states of several functions, which cost less together.
  /// @param starts what the solves start from, by function; from rest where there is none.
  virtual std::vector<std::vector<double>> adjoints(const CaseStates& at, std::span<const AdjointLoad> loads,
                                                    std::vector<std::vector<double>> starts);
  /// dg / d(density) of a function whose adjoint state is l: since K u = f,
  ///   dg = (dg/du)^T du = l^T K du = l^T (df - dK u).
  virtual void adjointGradient(const CaseStates& at, std::size_t k, std::span<const double> l,
                               std::span<double> gradient) const = 0;

  /// Sets of supports that cases stand on, each by its first case, in the order of CaseStates::modes. The
  /// default knows none, as an analysis without natural modes.
  virtual std::vector<std::size_t> supportSets() const { return {}; }
  /// d(squared frequency of a mode) / d(density): of x^T K x - (2 pi f)^2 x^T M x at x^T M x = 1. Only the
  /// sum over modes that share a frequency is a derivative, as those are not told apart.
  /// @throws InputError if the states have no such mode.
  virtual void modeGradient(const CaseStates& at, std::size_t set, std::size_t mode,
                            std::span<double> gradient) const;
};

struct Superposition;

/// The analysis on a grid. Cases with the same supports share one model, and of those whose loads are sums of
/// each other's only a base is solved. A force on all mass is that of the layout, m_e rho_e on each cell, and
/// what holds back its growth when it gets warmer is in proportion to its stiffness: then f depends on the
/// design, and
///   dC / d(rho_e) = 2 u^T df / d(rho_e) - u^T dK / d(rho_e) u.
/// Where nodes are held at u_p, off their own places, u = u_p + v with K v = f - K u_p, and in the place of
/// the compliance stands minus twice the potential energy,
///   C = f^T u - u_p^T (K u - f),
/// the work of loads less that of the supports' forces r = K u - f: it falls as the body becomes stiffer
/// whichever of them acts, and its derivative is the same.
/// Of a job that is its own image in planes only a piece is solved; what goes in and what comes out is of the
/// whole, and derivatives are those along changes that are their own image too.
template <int D>
class GridAnalysis final : public Analysis {
 public:
  /// @param material in two dimensions that of a sheet.
  /// @param fill share of each cell that exists, times its modulus relative to the material's.
  /// @param cellMass of each full cell, kg; needed only where a case has a force on all mass.
  /// @param cellExpansion of each cell, 1/K; the material's if empty.
  /// @param mirrors planes of symmetry, none or some.
  /// @param carried masses that take part in natural modes.
  /// @throws InputError if it is needed and missing, or what acts is not its own image.
  GridAnalysis(const Grid<D>& grid, const Material& material, std::vector<GridCase<D>> cases, HeldField fill,
               StiffnessLaw law, std::vector<double> cellMass = {}, std::vector<double> cellExpansion = {},
               const MirrorLayers<D>& mirrors = {}, std::vector<MassOnFace> carried = {});

  /// States to start from: all at rest.
  CaseStates rest() const;

  /// Solves all cases for a layout, each from what its state holds. A solve that fails is an answer as well:
  /// the case has an infinite compliance and starts the next time from rest.
  /// @param modes how many natural modes are found under each set of supports besides. They start from those
  ///   of the states; where they are not found to a few per mille there are none.
  /// @throws Cancelled if the progress callback says so; InputError if modes are asked for where cells have
  ///   no mass, or where only a piece is solved, which has not all modes of the whole.
  void attempt(std::vector<double> density, CaseStates& states, int modes = 0);

  /// @throws RunError when a solve has failed, naming the case and the reason.
  void requireSuccess(const CaseStates& states) const;

  std::size_t caseCount() const override { return cases_.size(); }
  const std::string& caseName(std::size_t k) const override { return cases_[k].name; }
  bool loadFollowsLayout(std::size_t k) const override {
    return !cases_[k].bodyForce.isZero() || cases_[k].temperature != 0;
  }
  void complianceGradient(const CaseStates& at, std::size_t k, std::span<double> gradient) const override;
  std::vector<double> adjoint(const CaseStates& at, std::size_t k,
                              std::span<const double> byDisplacement) override;
  std::vector<std::vector<double>> adjoints(const CaseStates& at, std::span<const AdjointLoad> loads,
                                            std::vector<std::vector<double>> starts) override;
  void adjointGradient(const CaseStates& at, std::size_t k, std::span<const double> l,
                       std::span<double> gradient) const override;
  std::vector<std::size_t> supportSets() const override;
  void modeGradient(const CaseStates& at, std::size_t set, std::size_t mode,
                    std::span<double> gradient) const override;

  /// Tightens or relaxes coming solves.
  void setTolerance(double energyTolerance) { options_.energyTolerance = energyTolerance; }
  void setMostIterations(int iterations) { options_.maxIterations = iterations; }
  /// Progress within an evaluation: at each set of supports, and several times in each iteration of its
  /// solve.
  void setProgress(ProgressCallback progress) { progress_ = std::move(progress); }

 private:
  /// Cases that stand on the same supports.
  struct Group {
    std::unique_ptr<ElasticModel<D>> model;
    std::vector<std::size_t> cases;
    std::shared_ptr<const Superposition> loads;  // by place in `cases`
  };
  /// The density and the displacement of a case on the cells that are solved.
  struct Solved {
    std::span<const double> density, displacement;
    std::vector<double> ownDensity, ownDisplacement;  // where they are not those of the states
  };
  Solved solvedOf(const CaseStates& at, std::size_t k) const;
  void solveAll(CaseStates& states, int modes);
  ModeStates modesOf(const Group& group, std::span<const double> density, int count, ModeStates before) const;
  template <class Fill>
  void byCell(std::span<double> gradient, const Fill& fill) const;
  SolveOptions asking() const;
  void solveAdjoints(const Group& group, const CaseStates& at, std::span<const AdjointLoad> loads,
                     const std::vector<std::size_t>& own, std::vector<std::vector<double>>& fields);
  void requireAll(const CaseStates& states) const;
  void requireAnalysed(const CaseStates& at, std::size_t k) const;
  Superposition superpositionOf(const std::vector<std::size_t>& cases) const;
  std::vector<double> shares(std::span<const double> density) const;
  void solve(const Group& group, std::size_t number, std::span<const double> density, CaseStates& states);
  bool combine(const Group& group, std::size_t place, std::span<const double> everywhere,
               CaseStates& states) const;
  std::vector<double> forcesEverywhere(const Group& group, std::size_t k,
                                       std::span<const double> density) const;
  std::vector<double> forcesOfMoving(const Group& group, std::size_t k) const;
  double workOfMoving(const Group& group, std::size_t k, std::span<const double> everywhere) const;
  template <class Visit>
  void visitCorners(std::size_t cell, const Visit& visit) const;
  void addLoadWork(std::span<const double> density, std::size_t k, std::span<const double> u, double factor,
                   std::span<double> gradient) const;

  Grid<D> whole_;
  std::shared_ptr<const MirrorPiece<D>> piece_;  // none if the whole is solved; what follows is of the piece
  Grid<D> grid_;
  std::vector<GridCase<D>> cases_;
  HeldField fill_;
  std::vector<double> cellMass_;
  std::vector<MassOnFace> carried_;
  std::vector<double> growthForce_;  // of each full cell on a corner along each axis by temperature, N/K
  StiffnessLaw law_;
  std::vector<Group> groups_;
  std::vector<std::size_t> groupOf_;  // by case
  SolveOptions options_;
  ProgressCallback progress_;
  Progress now_;
};

}  // namespace barelattice
