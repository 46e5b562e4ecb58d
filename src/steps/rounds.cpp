// Rounds of a part with limits: a proof corrects what the next layout is designed for.

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "barelattice/steps/steps.hpp"
#include "base/check.hpp"
#include "figures.hpp"

namespace barelattice {
namespace {

/// What was proved comes to over its bound, with its error on the safe side.
/// @param mostError of it that is looked at, relative.
double provedOver(const RoundLimitRecord& limit, double mostError = std::numeric_limits<double>::infinity()) {
  const bool least = limit.designed.sense == "at least";
  const double error = std::min(limit.error, mostError * limit.proved);
  const double worst = least ? std::max(limit.proved - error, 0.0) : limit.proved + error;
  return overBound(limit.designed, worst);
}

/// The limit a round comes nearest to its bound by, or misses by most, over its bound.
double worstOver(const RoundRecord& round) {
  double worst = 0;
  for (const RoundLimitRecord& limit : round.limits) {
    const double over = provedOver(limit);
    worst = std::isfinite(over) ? std::max(worst, over) : std::numeric_limits<double>::infinity();
  }
  return worst;
}

/// How far from its bound what governs may be: stress changes from one layout to the next by more than
/// stiffness does.
double nearEnough(const RoundLimitRecord& limit) {
  const bool stress = limit.designed.unit.empty() || limit.designed.unit == "MPa";
  return stress ? 0.85 : 0.95;
}

}  // namespace

RoundRecord roundOf(const Job& job, const LayoutRecord& layout, const BodyRecord& proof) {
  RoundRecord round;
  round.mass = layout.mass;
  round.verdict = proof.verdict;
  if (!layout.design) return round;
  round.iterations = layout.design->iterations;
  requireCount("limits of the layout", layout.design->limits.size(), job.brief.limits.size(),
               "limits it was designed for");
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
  const auto most = static_cast<std::size_t>(std::max(job.brief.rounds, 1));
  if (done.empty() || done.size() >= most) return std::nullopt;
  const RoundRecord& last = done.back();
  bool held = true;
  bool near = false;
  double governs = 0;  // what the worst limit came to in the layout: below one where sharpening left room
  for (const RoundLimitRecord& limit : last.limits) {
    const double proved = provedOver(limit);
    if (!std::isfinite(proved)) return std::nullopt;
    held = held && proved <= 1;
    near = near || proved >= nearEnough(limit);
    governs = std::max(governs, designedOver(limit.designed));
  }
  // What holds is not given up where no other round could mend the next, nor where the mass is given, which
  // has a better use then.
  if (held && (near || !job.brief.lightest || done.size() + 1 >= most)) return std::nullopt;
  // Where less was asked for and it got no lighter, members of the smallest size decide.
  constexpr double kLighter = 0.99;
  if (held && done.size() > 1 && last.mass > kLighter * done[done.size() - 2].mass) return std::nullopt;
  // Where one that was asked for more came out heavier and is proved to hold no better, what governs is not
  // what mass mends: a notch, a corner, a mesh too coarse for them.
  if (!held && done.size() > 1) {
    const RoundRecord& before = done[done.size() - 2];
    const double over = worstOver(before);
    if (over > 1 && last.mass > before.mass && worstOver(last) >= over) return std::nullopt;
  }
  // The more often a round has failed, the further inside its bound the next one aims.
  const auto failed = std::count_if(done.begin(), done.end(), [](const RoundRecord& round) {
    return std::any_of(round.limits.begin(), round.limits.end(),
                       [](const RoundLimitRecord& limit) { return provedOver(limit) > 1; });
  });
  constexpr double kInside = 0.015;
  constexpr double kMostError = 0.15;  // beyond that finer meshes are due, not a heavier part
  std::vector<double> corrections;
  double change = 0;
  for (const RoundLimitRecord& limit : last.limits) {
    // What was proved over what was designed, with its correction, is what that lacks.
    // Where the worst stayed below its bound, so it will again: then it may be asked for as much less.
    const double designed = designedOver(limit.designed);
    const double lacks = designed > 0 ? provedOver(limit, kMostError) / designed : 1;
    const double next = limit.designed.correction * lacks * std::min(governs, 1.0) *
                        (1 + kInside * static_cast<double>(1 + failed));
    corrections.push_back(next);
    change = std::max(change, std::abs(next / limit.designed.correction - 1));
  }
  constexpr double kSeen = 0.005;
  if (change < kSeen) return std::nullopt;
  return corrections;
}

std::size_t bestRound(const Job& job, const std::vector<RoundRecord>& done) {
  requireCount("rounds", std::min<std::size_t>(done.size(), 1), 1, "needed");
  // The less, the better: what is in doubt or missed, then by how much, then the mass.
  const auto judged = [&](const RoundRecord& round) {
    const double over = worstOver(round);
    const bool holds = over <= 1;
    return std::array<double, 3>{holds ? (round.verdict == "met" ? 0.0 : 1.0) : 2.0, holds ? 0.0 : over,
                                 job.brief.lightest ? round.mass : 0.0};
  };
  std::size_t best = 0;
  for (std::size_t i = 1; i < done.size(); ++i)
    if (judged(done[i]) <= judged(done[best])) best = i;
  return best + 1;
}

std::optional<OptimiseState> nextStart(const Job& job, const RoundRecord& last, OptimiseState state) {
  constexpr double kFar = 1.15;
  requireCount("limits of the round", last.limits.size(), job.corrections.size(), "corrections");
  for (std::size_t r = 0; r < job.corrections.size(); ++r) {
    const DesignedRecord& designed = last.limits[r].designed;
    if (designedOver(designed) * job.corrections[r] / designed.correction > kFar) return std::nullopt;
  }
  return job.flat() ? reopened<2>(std::move(state), job.layoutProblem<2>())
                    : reopened<3>(std::move(state), job.layoutProblem<3>());
}

}  // namespace barelattice
