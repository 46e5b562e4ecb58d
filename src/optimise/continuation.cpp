#include "barelattice/optimise/continuation.hpp"

#include <algorithm>
#include <cmath>

#include "base/check.hpp"

namespace barelattice {
namespace {

// The readings a design passes are sharpness 1, 2, 4, 8 without erosion, then erosion in five steps, then
// sharpness 16 and 32. Erosion from the start freezes the topology before it has formed and breaks lean
// layouts; erosion at the end in one step breaks them as well.
//
// On the way. A reading is left when a step gains less than `stageGain`. A step is judged by the goal in the
// manner of a trust region (Conn, Gould & Toint 2000), with three outcomes:
//   taken back   where the goal rises by more than `mostRise` (`mostJump`, where the reading has changed), or
//                cannot be found: pace, or the stride to the next reading, is halved;
//   accepted     with a rise: the next step is shorter;
//   gained       the next step is longer.
// The goal of another reading is another function, so its history starts anew there.
//
// At the end nothing worse is accepted, so what was accepted last is the best seen there, and the pace may
// grow beyond that of the damped update. The layout has settled when
//   (a) some accepted steps together gain less than `finalGain`, none moving `finalChange` of the mass; or
//   (b) twice as many leave the layout's own compliance within `finalDrift`: where the thin layout barely
//       holds, its compliance falls for ever and the result does not change;
//   both only if steps were as long as they may be, or longer ones were tried and taken back (`free`), so
//   that it is not damping that makes it stand; or
//   (c) when no step however short gains anything.

constexpr double kWhole = 1e-9;  // places this close to a reading are that reading

constexpr double kFaster = 1.3;  // of the pace after a step that gained
constexpr double kFastest =
    1;  // on the way; at the end, where damping is strong and nothing worse is accepted,
constexpr double kFastestAtEnd = 4;
constexpr double kSlower = 0.7;          // after one that lost a little and is accepted all the same
constexpr double kHalf = 0.5;            // after one that is taken back
constexpr std::size_t kWindow = 5;       // steps that are looked at together at the end
constexpr std::size_t kLongWindow = 10;  // where the layout's own compliance alone is to tell
constexpr double kRise = 1.2;  // a step to another reading that makes the goal rise by less may be longer

double between(double a, double b, double share) {
  return a + share * (b - a);
}

}  // namespace

void validate(const Reading& reading) {
  requireNotNegative("sharpness", reading.sharpness);
  if (!(reading.erosion >= 0 && reading.erosion < 0.5))
    throw InputError(fmt::format("erosion is {}", reading.erosion), "give 0 up to below 0.5");
  if (!(reading.widening >= 1) || !std::isfinite(reading.widening))
    throw InputError(fmt::format("widening is {}", reading.widening), "give 1 or more");
}

Reading readingAt(const Path& path, double place) {
  if (path.empty()) throw InputError("the path has no reading", "give one or more");
  requireNotNegative("place", place);
  const auto leg = std::min(static_cast<std::size_t>(place + kWhole), path.size() - 1);
  const double share = place - static_cast<double>(leg);
  Reading reading = path[leg];
  if (share < kWhole || leg + 1 == path.size()) return reading;
  const Reading& next = path[leg + 1];
  reading.sharpness = std::exp(between(std::log(reading.sharpness), std::log(next.sharpness), share));
  reading.erosion = between(reading.erosion, next.erosion, share);
  reading.widening = between(reading.widening, next.widening, share);
  return reading;
}

Path usualPath(double widening, double erosion) {
  validate(Reading{1, erosion, widening});
  constexpr int kErosionSteps = 5;
  const double more = widening - 1;
  Path path{{1, 0, widening}, {2, 0, 1 + 0.55 * more}, {4, 0, 1 + 0.2 * more}, {8, 0, 1}};
  for (int k = 1; erosion > 0 && k <= kErosionSteps; ++k) path.push_back({8, erosion * k / kErosionSteps, 1});
  path.push_back({16, erosion, 1});
  path.push_back({32, erosion, 1});
  return path;
}

bool Continuation::judge(Progression& at, double goal, double own, double change) const {
  const bool first = at.goal == 0;
  const bool moved = at.ahead != at.place;
  // At the end nothing that is worse is accepted: what was accepted last is the best seen there.
  const double rise = moved ? options_.mostJump : atEnd(at) ? 0 : options_.mostRise;
  if (!first && !(goal <= (1 + rise) * at.goal)) {
    (moved ? at.stride : at.pace) *= kHalf;
    at.blocked = true;
    at.sinceBlocked = 0;
    at.ahead = at.place;
    return false;
  }
  if (first || moved) {
    if (!first && goal < kRise * at.goal) at.stride = std::min(1.0, at.stride / kHalf);
    at.goals.clear();
    at.owns.clear();
    at.changes.clear();
  } else {
    at.pace = std::min(atEnd(at) ? kFastestAtEnd : kFastest, at.pace * (goal <= at.goal ? kFaster : kSlower));
  }
  at.goals.push_back(goal);
  at.owns.push_back(own);
  at.changes.push_back(change);
  at.goal = goal;
  at.place = at.ahead;
  at.blocked = false;
  ++at.sinceBlocked;
  return true;
}

bool Continuation::rests(const Progression& at) const {
  if (at.pace < options_.leastPace) return true;  // (c)
  const std::size_t steps = at.goals.empty() ? 0 : at.goals.size() - 1;
  if (steps == 0 || at.blocked) return false;
  const auto gain = [&](std::size_t over) { return std::abs(1 - at.goal / at.goals[steps - over]); };
  if (!atEnd(at))
    return steps >= static_cast<std::size_t>(options_.stageIterations) || gain(1) < options_.stageGain;
  const bool free = at.pace >= kFastestAtEnd || at.sinceBlocked <= static_cast<int>(kWindow);
  if (!free || steps < kWindow) return false;
  if (*std::max_element(at.changes.end() - kWindow, at.changes.end()) >= options_.finalChange) return false;
  if (gain(kWindow) < options_.finalGain) return true;  // (a)
  if (steps < kLongWindow) return false;
  const auto [least, most] = std::minmax_element(at.owns.end() - kLongWindow - 1, at.owns.end());
  return *most < (1 + options_.finalDrift) * *least;  // (b)
}

void Continuation::goOn(Progression& at) const {
  constexpr double kAgain = 0.1;  // the pace after one that had become too slow for anything
  const bool rested = rests(at);
  if (at.pace < options_.leastPace) at.pace = kAgain;
  at.ahead = at.place;
  if (rested && !atEnd(at)) at.ahead = std::min(at.place + at.stride, std::floor(at.place + kWhole) + 1);
}

}  // namespace barelattice
