#include "barelattice/optimise/response.hpp"

#include <algorithm>
#include <numeric>

#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {

std::vector<std::string> Compliances::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    names.push_back((name_.empty() ? "compliance_of_" : name_ + "_in_") + analysis.caseName(k) + "_J");
  return names;
}

bool Compliances::fallsWithMaterial(const Analysis& analysis) const {
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    if (analysis.loadFollowsLayout(k)) return false;
  return true;
}

double Compliances::mostGain(const Analysis& analysis, std::size_t which) const {
  return analysis.loadFollowsLayout(which) ? std::numeric_limits<double>::infinity() : 1;
}

Joined::Joined(std::vector<std::shared_ptr<const Response>> parts) : parts_(std::move(parts)) {
  for (const auto& part : parts_) requireGiven("a part of a response", part);
}

std::vector<std::string> Joined::names(const Analysis& analysis) const {
  std::vector<std::string> all;
  for (const auto& part : parts_) {
    const std::vector<std::string> own = part->names(analysis);
    all.insert(all.end(), own.begin(), own.end());
  }
  return all;
}

std::vector<double> Joined::values(const Analysed& at) const {
  std::vector<double> all;
  for (const auto& part : parts_) {
    const std::vector<double> own = part->values(at);
    all.insert(all.end(), own.begin(), own.end());
  }
  return all;
}

std::pair<const Response*, std::size_t> Joined::partOf(const Analysis& analysis, std::size_t which) const {
  std::size_t first = 0;
  for (const auto& part : parts_) {
    const std::size_t count = part->names(analysis).size();
    if (which < first + count) return {part.get(), which - first};
    first += count;
  }
  requireIndex("value", which, first, "values");
  return {};
}

void Joined::gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const {
  const auto [part, own] = partOf(at.analysis, which);
  part->gradient(at, own, gradient);
}

std::optional<AdjointLoad> Joined::adjointLoad(const Analysed& at, std::size_t which) const {
  const auto [part, own] = partOf(at.analysis, which);
  return part->adjointLoad(at, own);
}

void Joined::gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                          std::span<double> gradient) const {
  const auto [part, own] = partOf(at.analysis, which);
  part->gradientFrom(at, own, adjoint, gradient);
}

int Joined::modes() const {
  int most = 0;
  for (const auto& part : parts_) most = std::max(most, part->modes());
  return most;
}

double Joined::mostGain(const Analysis& analysis, std::size_t which) const {
  const auto [part, own] = partOf(analysis, which);
  return part->mostGain(analysis, own);
}

bool Joined::heldByCompliance() const {
  return std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->heldByCompliance(); });
}

bool Joined::ledByStiffness() const {
  return std::all_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->ledByStiffness(); });
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
