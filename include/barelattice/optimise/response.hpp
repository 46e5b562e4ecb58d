/// @file
/// Functions of an analysed reading, with exact derivatives: what goals and limits are made of.
#pragma once
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/analysis.hpp"

namespace barelattice BARELATTICE_API {

/// A reading of the layout and the answers to it. The density is in the states.
struct Analysed {
  Analysis& analysis;
  const CaseStates& states;
};

/// Named values of a reading with their derivatives by its density. One's own
/// goal or limit is a class that derives from this one.
class Response {
 public:
  virtual ~Response() = default;
  /// Of its values, with their unit, as a column of a table is headed:
  /// "compliance_of_push_J".
  virtual std::vector<std::string> names(const Analysis& analysis) const = 0;
  /// Infinite where the layout does not bear what a value needs.
  virtual std::vector<double> values(const Analysed& at) const = 0;
  /// d(value `which`)/d(density), one entry per cell.
  virtual void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const = 0;
  /// The function of displacements whose adjoint state the derivative of a value needs; nothing if it needs
  /// none, or finds it itself. Those of many values are solved together.
  virtual std::optional<AdjointLoad> adjointLoad(const Analysed& /*at*/, std::size_t /*which*/) const {
    return std::nullopt;
  }
  /// The derivative from that adjoint state.
  virtual void gradientFrom(const Analysed& at, std::size_t which, std::span<const double> /*adjoint*/,
                            std::span<double> gradient) const {
    this->gradient(at, which, gradient);
  }
  /// None of its values rises where material is added, whatever the layout:
  /// what optimality criteria need.
  virtual bool fallsWithMaterial(const Analysis& /*analysis*/) const { return false; }
  /// How many natural modes under each set of supports its values are made of.
  virtual int modes() const { return 0; }
  /// By what factor at most a layout may have less of this value than the full domain: a bound that is
  /// further below what that has is out of reach. Infinite where nothing is known.
  virtual double mostGain(const Analysis& /*analysis*/, std::size_t /*which*/) const {
    return std::numeric_limits<double>::infinity();
  }
  /// Whether its values are of places or modes, and do not tell whether a thinner layout holds: as a goal
  /// they are those of the layout alone, and the thinner one is held by its compliance, see
  /// optimise/assessment.
  virtual bool heldByCompliance() const { return false; }
  /// Whether stiffness is to lead the way while the layout is grey, as these values say too little then.
  virtual bool ledByStiffness() const { return false; }
  /// Its values follow from the density alone, whatever is solved: a limit on them is one on the layout as it
  /// is drawn, also where it is analysed as it may be made.
  virtual bool ofDensityAlone() const { return false; }
};

/// The compliance of each case, J. Falls with material unless loads follow the
/// layout.
class Compliances final : public Response {
 public:
  /// @param name of a limit, which heads its columns: "name_in_push_J".
  explicit Compliances(std::string name = {}) : name_(std::move(name)) {}
  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override { return at.states.compliances; }
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override {
    at.analysis.complianceGradient(at.states, which, gradient);
  }
  bool fallsWithMaterial(const Analysis& analysis) const override;
  /// No layout is stiffer than the full domain, where no load follows it.
  double mostGain(const Analysis& analysis, std::size_t which) const override;

 private:
  std::string name_;
};

/// Several responses as one: their values one after the other.
class Joined final : public Response {
 public:
  explicit Joined(std::vector<std::shared_ptr<const Response>> parts);
  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override;
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  std::optional<AdjointLoad> adjointLoad(const Analysed& at, std::size_t which) const override;
  void gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                    std::span<double> gradient) const override;
  int modes() const override;
  double mostGain(const Analysis& analysis, std::size_t which) const override;
  bool heldByCompliance() const override;
  /// Only where all parts are: other ones lead the way themselves.
  bool ledByStiffness() const override;

 private:
  /// The part a value is of, and its number there.
  std::pair<const Response*, std::size_t> partOf(const Analysis& analysis, std::size_t which) const;

  std::vector<std::shared_ptr<const Response>> parts_;
};

/// Mass of the layout over the mass of the full domain, or of a part of it: sum(v rho) / sum(v).
class MassFraction final : public Response {
 public:
  /// @param fill share of each cell that exists, times what it weighs; zero where it does not count.
  explicit MassFraction(HeldField fill, std::string name = "mass_fraction");
  std::vector<std::string> names(const Analysis& /*analysis*/) const override { return {name_}; }
  std::vector<double> values(const Analysed& at) const override { return {value(at.states.density)}; }
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  double value(std::span<const double> density) const;
  bool ofDensityAlone() const override { return true; }

 private:
  HeldField fill_;
  std::string name_;
  double total_;
};

}  // namespace barelattice
