#include "history.hpp"

#include <fmt/format.h>

namespace barelattice {

std::string historyCsv(const std::vector<IterationRecord>& history, const std::vector<std::string>& columns) {
  std::string csv =
      "iteration,goal_J,compliance_J,eroded_J,change,grey,sharpness,erosion,taken_back,solver_iterations,"
      "seconds,solve_seconds";
  // Where the lightest is sought: what its values come to over their bounds.
  std::vector<std::string> heads = columns;
  const std::size_t bounded = history.empty() ? 0 : history.front().overBounds.size();
  for (std::size_t k = 0; k < bounded; ++k) heads.push_back(columns[k] + "_over_bound");
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
