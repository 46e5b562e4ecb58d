/// @file
/// What is made small, and what must hold.
#pragma once

#include <memory>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// How the values of a response become one number.
enum class GoalForm {
  weightedSum,  ///< sum_k w_k g_k
  worst,        ///< max_k w_k g_k
};

/// Positive values that are to become small: a step is judged by the share it gains.
struct Goal {
  GoalForm form = GoalForm::weightedSum;
  std::shared_ptr<const Response> response;  ///< null for the compliances of all cases
  std::vector<double> weights;  ///< of its values, not negative; empty for those of the cases where the
                                ///< response is null, else for ones
  bool perFull = false;         ///< weights are of values over what those are for the full domain, by which
                                ///< values of different kinds can be added up
};

enum class LimitSense { atMost, atLeast };

/// A bound on one value of a response, held by the layout that would be the result. The mass is a limit of
/// its own, see LayoutProblem::massFraction.
struct Limit {
  std::shared_ptr<const Response> response;
  std::size_t which = 0;  ///< of its values
  LimitSense sense = LimitSense::atMost;
  double bound = 0;      ///< not zero: what the limit is missed by is measured in it
  bool perFull = false;  ///< the bound is of the value over what that is for the full domain
};

}  // namespace barelattice
