// Rounds of a lightest part: a proof corrects what the next layout is designed for.

#include <algorithm>
#include <cmath>

#include "barelattice/steps/steps.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// What a figure comes to over its bound: above one where it is not held.
double over(const DesignedRecord& designed, double value) {
  return designed.sense == "at least" ? designed.bound / value : value / designed.bound;
}

/// The same of what was proved, with its error on the safe side.
double provedOver(const RoundLimitRecord& limit) {
  const bool least = limit.designed.sense == "at least";
  const double worst = least ? std::max(limit.proved - limit.error, 0.0) : limit.proved + limit.error;
  return over(limit.designed, worst);
}

/// A limit that comes to this share of its bound in the layout governs it.
constexpr double kGoverns = 0.95;

/// How far from its bound what governs may be: stress changes from one layout to the next by more than
/// stiffness does.
double nearEnough(const RoundLimitRecord& limit) {
  return limit.designed.unit.empty() ? 0.85 : 0.95;
}

}  // namespace

RoundRecord roundOf(const Job& job, const LayoutRecord& layout, const BodyRecord& proof) {
  RoundRecord round;
  round.mass = layout.mass;
  round.verdict = proof.verdict;
  if (!layout.design) return round;
  round.iterations = layout.design->iterations;
  requireCount("limits of the layout", layout.design->limits.size(), job.designedFor().size(),
               "requirements it was designed for");
  for (const DesignedRecord& designed : layout.design->limits) {
    const auto found = std::find_if(proof.requirements.begin(), proof.requirements.end(),
                                    [&](const RequirementRecord& r) { return r.what == designed.what; });
    if (found == proof.requirements.end())
      throw InputError("the proof does not judge " + designed.what, "judge it by the same brief");
    round.limits.push_back({designed, found->value, found->error, found->verdict});
  }
  return round;
}

std::optional<std::vector<double>> nextCorrections(const Job& job, const std::vector<RoundRecord>& done) {
  if (done.empty() || done.size() >= static_cast<std::size_t>(std::max(job.brief.rounds, 1)))
    return std::nullopt;
  const RoundRecord& last = done.back();
  bool held = true;
  bool near = false;
  bool designedNear = false;
  for (const RoundLimitRecord& limit : last.limits) {
    const double proved = provedOver(limit);
    if (!std::isfinite(proved)) return std::nullopt;
    held = held && proved <= 1;
    near = near || proved >= nearEnough(limit);
    designedNear = designedNear || over(limit.designed, limit.designed.value) >= kGoverns;
  }
  // Where no limit governs the layout, members of the smallest size do.
  if (held && (near || !designedNear)) return std::nullopt;
  // The more often a round has failed, the further inside its bound the next one aims.
  const auto failed = std::count_if(done.begin(), done.end(), [](const RoundRecord& round) {
    return std::any_of(round.limits.begin(), round.limits.end(),
                       [](const RoundLimitRecord& limit) { return provedOver(limit) > 1; });
  });
  constexpr double kInside = 0.015;
  std::vector<double> corrections;
  double change = 0;
  for (const RoundLimitRecord& limit : last.limits) {
    // As designed, each came to `value` with its correction: what was proved over that is what it lacks.
    const double designed = over(limit.designed, limit.designed.value);
    const double lacks = designed > 0 ? provedOver(limit) / designed : 1;
    const double next = limit.designed.correction * lacks * (1 + kInside * static_cast<double>(1 + failed));
    corrections.push_back(next);
    change = std::max(change, std::abs(next / limit.designed.correction - 1));
  }
  constexpr double kSeen = 0.005;
  if (change < kSeen) return std::nullopt;
  return corrections;
}

std::optional<OptimiseState> nextStart(const Job& job, const std::vector<double>& before,
                                       OptimiseState state) {
  constexpr double kFar = 0.15;
  for (std::size_t r = 0; r < job.corrections.size(); ++r) {
    const double was = before.empty() ? 1 : before.at(r);
    if (job.corrections[r] > (1 + kFar) * was) return std::nullopt;
  }
  return job.flat() ? reopened<2>(std::move(state), job.layoutProblem<2>())
                    : reopened<3>(std::move(state), job.layoutProblem<3>());
}

}  // namespace barelattice
