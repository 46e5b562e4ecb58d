#include "barelattice/optimise/response.hpp"

#include <numeric>

#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {

std::vector<std::string> Compliances::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    names.push_back("compliance_of_" + analysis.caseName(k) + "_J");
  return names;
}

bool Compliances::fallsWithMaterial(const Analysis& analysis) const {
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    if (analysis.loadFollowsLayout(k)) return false;
  return true;
}

MassFraction::MassFraction(HeldField fill, std::string name)
    : fill_(std::move(fill)),
      name_(std::move(name)),
      total_(std::accumulate(fill_->begin(), fill_->end(), 0.0)) {
  requirePositive("sum of what cells weigh", total_);
}

double MassFraction::value(std::span<const double> density) const {
  requireCount("density", density.size(), fill_->size(), "cells");
  return sumBlocks(density.size(),
                   [&](std::size_t begin, std::size_t end) {
                     double sum = 0;
                     for (std::size_t i = begin; i < end; ++i) sum += fill_[i] * density[i];
                     return sum;
                   }) /
         total_;
}

void MassFraction::gradient(const Analysed& /*at*/, std::size_t /*which*/, std::span<double> gradient) const {
  requireCount("gradient", gradient.size(), fill_->size(), "cells");
  forEach(gradient.size(), [&](std::size_t i) { gradient[i] = fill_[i] / total_; });
}

}  // namespace barelattice
