#include "terminal.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <string_view>

#include "barelattice/base/quantity.hpp"

using namespace barelattice;

namespace {

std::string duration(double seconds) {
  if (seconds < 90) return fmt::format("{:.0f} s", seconds);
  return fmt::format("{:.0f} min", seconds / 60);
}

/// Three components; what is only rounding beside the others reads as zero.
std::string triple(Vec3 v) {
  const double rounding = 1e-9 * std::max(1.0, v.norm());
  for (double& x : v) x = std::abs(x) < rounding ? 0 : x;
  return fmt::format("{:>9.4g} {:>9.4g} {:>9.4g}", v.x(), v.y(), v.z());
}

/// True for a terminal that knows escape sequences.
bool obeys(int stream) {
  const char* kind = std::getenv("TERM");
  return ::isatty(stream) != 0 && kind && std::string_view(kind) != "dumb";
}

/// Text without what a terminal would obey: names and messages of a stranger's file pass through here.
std::string printable(const std::string& text) {
  std::string safe;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]);
    const auto next = i + 1 < text.size() ? static_cast<unsigned char>(text[i + 1]) : '\0';
    if (c == 0xc2 && next >= 0x80 && next < 0xa0) {  // U+0080 to U+009F
      safe += '?';
      ++i;
    } else {
      safe += (c < 0x20 && c != '\n') || c == 0x7f ? '?' : text[i];
    }
  }
  return safe;
}

/// As much of a line as the terminal shows in one row: of a longer one only the last row would be replaced.
std::string inOneRow(const std::string& text) {
  constexpr std::size_t kUsual = 80;
  winsize size{};
  const bool known = ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0;
  std::size_t end = std::min(text.size(), (known ? size.ws_col : kUsual) - 1);
  while (end > 0 && end < text.size() && (static_cast<unsigned char>(text[end]) & 0xc0) == 0x80) --end;
  return text.substr(0, end);
}

}  // namespace

Terminal::Terminal(bool quiet, bool plain)
    : quiet_(quiet),
      plain_(plain),
      interactive_(!plain && obeys(STDOUT_FILENO)),
      colours_(obeys(STDERR_FILENO) && std::getenv("NO_COLOR") == nullptr) {}

Terminal::~Terminal() {
  clearLive();
}

void Terminal::clearLive() {
  if (liveShown_) fmt::print("\r\033[K");
  liveShown_ = false;
  std::fflush(stdout);
}

void Terminal::line(const std::string& text) {
  if (quiet_) return;
  clearLive();
  fmt::print("{}\n", printable(text));
  std::fflush(stdout);
}

void Terminal::live(const std::string& text, bool log) {
  if (quiet_) return;
  if (interactive_) {
    fmt::print("\r\033[K{}", inOneRow(printable(text)));
    liveShown_ = true;
  } else if (log) {
    fmt::print("{}\n", printable(text));
  }
  std::fflush(stdout);
}

void Terminal::error(const std::string& what, const std::string& cure) {
  clearLive();
  fmt::print(stderr, "{}error{}: {}\n", colours_ ? "\033[1;31m" : "", colours_ ? "\033[0m" : "",
             printable(what));
  if (!cure.empty()) fmt::print(stderr, "  fix: {}\n", printable(cure));
}

std::string describeJob(const Job& job) {
  std::string text = fmt::format("{}\n", job.brief.title);
  const Vec3 size = job.regions.space->bounds().sizes() * kMillimetresPerMetre;
  text += fmt::format("  space   {:>9.4g} kg   {:.4g} x {:.4g} x {:.4g} mm, {} voxels of {:.3g} mm\n",
                      job.spaceMass, size.x(), size.y(),
                      job.flat() ? job.brief.sheet->thickness * kMillimetresPerMetre : size.z(),
                      job.cellCount(), job.cellSize() * kMillimetresPerMetre);
  text += fmt::format("  keep    {:>9.4g} kg\n", job.keepMass);
  if (job.brief.designs && !job.brief.lightest)
    text += fmt::format("  target  {:>9.4g} kg   {:.3g} % of the space\n", job.targetMass,
                        100 * job.targetMass / job.spaceMass);
  if (!job.brief.designs) text += "  nothing is designed: neither [target] nor [making] is there\n";
  const std::vector<std::string> all = wantedTexts(job);
  for (const std::string& wanted : all)
    text += fmt::format("  {:<7} {}\n", &wanted == &all.front() ? "goal" : "limit", wanted);
  for (const BriefRegion& region : job.brief.regions)
    text +=
        fmt::format("  {} {}: {}\n", region.bonded ? "part" : "region", region.name, region.material.name);
  if (job.bondedMass > 0)
    text += fmt::format("  bonded  {:>9.4g} kg   not counted in the masses above\n", job.bondedMass);
  text += fmt::format("  takes about {} and {:.1f} GB\n", duration(job.estimate.seconds),
                      job.estimate.bytes / 1e9);
  text += fmt::format("  {:<16} {:>6}   {:<29}   {}\n", "case", "weight", "force, N (x y z)",
                      "moment, N m, about the supports' centre");
  for (const CaseSummary& c : job.summaries) {
    text += fmt::format("  {:<16} {:>6.3g} {} {}\n", c.name, c.weight, triple(c.resultant.force),
                        triple(c.resultant.moment));
    if (!c.onAll.empty())
      text += fmt::format("  {:<16}        and on all of the part: {}\n", "", fmt::join(c.onAll, ", "));
  }
  for (const std::string& assumption : job.assumptions) text += fmt::format("  assumed: {}\n", assumption);
  for (const std::string& warning : job.warnings) text += fmt::format("  warning: {}\n", warning);
  text.pop_back();
  return text;
}

std::string describeIteration(const IterationRecord& r, bool lightest, double spaceMass) {
  const double worst = r.overBounds.empty() ? 0 : *std::max_element(r.overBounds.begin(), r.overBounds.end());
  const std::string limits =
      r.overBounds.empty() ? "" : fmt::format("   worst limit at {:>3.0f} % of its bound", 100 * worst);
  const std::string thin = r.erosion > 0 && limits.empty() ? fmt::format(" {:>9.4g} J", r.eroded)
                           : limits.empty()                ? std::string(12, ' ')
                                                           : "";
  const std::string figure = lightest ? fmt::format("mass {:>9.4g} kg", r.massFraction * spaceMass)
                                      : fmt::format("compliance {:>9.4g} J", r.nominal);
  return fmt::format(
      "  iteration {:>3}   {}{}   eroded by {:.2f}{}   sharpness {:>2.0f}   grey {:>3.0f} %   change "
      "{:>4.1f} "
      "%   {}{}",
      r.iteration, figure, limits, r.erosion, thin, r.sharpness, 100 * r.grey, 100 * r.change,
      duration(r.seconds), r.takenBack ? "   taken back" : "");
}

namespace {

/// One line of the table: the figure, its bound where there is one, else what of the surface is below the
/// smallest member.
std::string describeMaking(const char* body, const MakingRecord& m) {
  const std::string figure =
      m.value ? fmt::format("{:>9.4g} {}", *m.value, m.unit)
              : fmt::format(
                    "{:>9} {}", "none",
                    m.lookedUpTo > 0 ? fmt::format("up to {:.4g} {}", m.lookedUpTo, m.unit) : std::string());
  const std::string what = m.rule == "smallest_member" ? m.what : m.rule + ": " + m.what;
  constexpr double kLittle = 5e-4;  // of the surface
  std::string held;
  if (m.bound) {
    held = fmt::format(" ({} {:.4g}): {}", m.sense, *m.bound, m.verdict);
    if (m.share > kLittle) held += fmt::format(", {:.2g} % of the surface", 100 * m.share);
  } else if (m.share > kLittle) {
    held = fmt::format(", {:.2g} % of the surface below smallest_member", 100 * m.share);
  }
  constexpr double kMm = kMillimetresPerMetre;
  if (m.value && *m.value > 0 && (m.verdict == "not met" || !m.bound))
    held += fmt::format(", at ({:.0f}, {:.0f}, {:.0f}) mm", m.at.x() * kMm, m.at.y() * kMm, m.at.z() * kMm);
  return fmt::format("  {:<10} {:<30} {}{}\n", body, what, figure, held);
}

}  // namespace

std::string describeBodies(const RunRecord& record) {
  std::string text = fmt::format("  {:<16} {:<10} {:>13} {:>16} {:>24} {:>20}\n", "case", "body",
                                 "compliance, J", "displacement, mm", "von Mises, MPa", "safety factor");
  constexpr double kMm = kMillimetresPerMetre;
  constexpr double kMPa = 1e-6;
  const std::pair<const std::optional<BodyRecord>*, const char*> bodies[]{{&record.proof, "part"},
                                                                          {&record.outside, "imported"},
                                                                          {&record.baseline, "baseline"},
                                                                          {&record.block, "block"}};
  for (const auto& [body, name] : bodies) {
    if (!*body) continue;
    for (const BodyCaseRecord& c : (*body)->cases)
      text += fmt::format("  {:<16} {:<10} {:>13.4g} {:>16.4g} {:>14.4g} +- {:>6} {:>10.3g} +- {:>6}\n",
                          c.name, name, c.compliance, c.largestDisplacement * kMm, c.judged * kMPa,
                          errorText(c.judgedError * kMPa), c.safetyFactor, errorText(c.safetyFactorError));
  }
  for (const auto& [body, name] : bodies) {
    if (!*body) continue;
    for (const FrequenciesRecord& f : (*body)->frequencies) {
      std::string lowest;
      for (const FigureRecord& each : f.lowest)
        lowest +=
            fmt::format("{}{:.4g} +- {}", lowest.empty() ? "" : ", ", each.value, errorText(each.error));
      const bool some = (*body)->frequencies.size() > 1;
      text += fmt::format("  {:<10} frequencies, Hz     {}{}\n", name, lowest,
                          some ? " (cases " + fmt::format("{}", fmt::join(f.cases, ", ")) + ")" : "");
    }
  }
  for (const auto& [body, name] : bodies) {
    if (!*body || body == &record.block) continue;
    for (const RequirementRecord& r : (*body)->requirements)
      text +=
          fmt::format("  {:<10} {:<30} {:>9.4g}{} {} ({} {:.4g}): {}\n", name, r.what, r.value,
                      r.error > 0 ? " +- " + errorText(r.error) : "", r.unit, r.sense, r.bound, r.verdict);
    for (const MakingRecord& m : (*body)->making) text += describeMaking(name, m);
  }
  text.pop_back();
  return text;
}
