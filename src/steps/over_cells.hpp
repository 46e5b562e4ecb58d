// Sums over the cells of a job. Internal to the room.
#pragma once

#include <cstddef>
#include <variant>

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// The sum of f(domain, cell) over the cells of a job.
template <class F>
double overCells(const Job& job, const F& f) {
  return std::visit(
      [&](const auto& domain) {
        double sum = 0;
        for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) sum += f(domain, c);
        return sum;
      },
      job.domain);
}

}  // namespace barelattice
