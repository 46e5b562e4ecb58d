#include "history.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace barelattice {

std::string historyCsv(const std::vector<IterationRecord>& history, const std::vector<std::string>& columns) {
  std::string csv =
      "iteration,goal_J,compliance_J,eroded_J,change,grey,sharpness,erosion,taken_back,solver_iterations,"
      "seconds,solve_seconds";
  // Then what those with a bound come to over it: the last ones, without the mass.
  std::vector<std::string> bounded = columns;
  bounded.erase(std::remove(bounded.begin(), bounded.end(), "mass_fraction"), bounded.end());
  const std::size_t count = history.empty() ? 0 : history.front().overBounds.size();
  std::vector<std::string> heads = columns;
  for (std::size_t k = bounded.size() - std::min(count, bounded.size()); k < bounded.size(); ++k)
    heads.push_back(bounded[k] + "_over_bound");
  // Names may be any text: quoted as RFC 4180 has it.
  for (const std::string& column : heads) {
    csv += ',';
    if (column.find_first_of(",\"\n\r") == std::string::npos) {
      csv += column;
      continue;
    }
    csv += '"';
    for (const char c : column) csv += c == '"' ? std::string("\"\"") : std::string(1, c);
    csv += '"';
  }
  csv += '\n';
  for (const IterationRecord& r : history) {
    csv += fmt::format("{},{:.9g},{:.9g},{:.9g},{:.6f},{:.4f},{:.5g},{:.4f},{:d},{},{:.2f},{:.2f}",
                       r.iteration, r.goal, r.nominal, r.eroded, r.change, r.grey, r.sharpness, r.erosion,
                       r.takenBack, r.solverIterations, r.seconds, r.solveSeconds);
    for (const double value : r.values) csv += fmt::format(",{:.9g}", value);
    for (const double value : r.overBounds) csv += fmt::format(",{:.9g}", value);
    csv += '\n';
  }
  return csv;
}

}  // namespace barelattice
