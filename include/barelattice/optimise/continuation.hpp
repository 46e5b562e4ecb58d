/// @file
/// How a design moves from soft to sharp: the readings it passes, and when it may go on, must wait or goes
/// back.
#pragma once

#include <cstddef>
#include <vector>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// How variables are read as a layout: filtered, then projected at the threshold 0.5 + erosion.
struct Reading {
  double sharpness = 0;  ///< of the projection, 0 or more; 0 leaves it out
  double erosion = 0;    ///< of the thinner layout analysed beside the result, 0 up to below 0.5
  double widening = 1;   ///< filter radius over the one that makes the members, 1 or more
};

/// @throws InputError for one out of range.
void validate(const Reading& reading);

/// The readings a design passes one after the other; in between, sharpness is interpolated by its logarithm.
using Path = std::vector<Reading>;

/// The reading at a place of a path: n is its n-th reading, n + s lies the share s of the way to the next.
Reading readingAt(const Path& path, double place);

/// The usual path: sharpness 1, 2, 4, 8 without erosion, while the filter narrows from `widening` to 1;
/// erosion in five steps; sharpness 16, 32.
Path usualPath(double widening, double erosion);

struct ContinuationOptions {
  int stageIterations = 40;       ///< most accepted steps at one reading
  double stageGain = 0.02;        ///< the design goes on when a step gains less than this share of the goal
  double finalGain = 0.005;       ///< at the last reading it has settled when five steps gain less than this,
  double finalChange = 0.01;      ///< and none of them moves more than this share of the mass;
  double finalDrift = 0.002;      ///< or when ten steps change the layout's own compliance by less than this
  double mostRise = 0.03;         ///< a step that makes the goal rise by a larger share is taken back,
  double mostJump = 0.5;          ///< one to another reading if it rises by more than this
  double leastStride = 1.0 / 32;  ///< share of the way between two readings; if that is too far, it is stuck
  double leastPace = 1.0 / 64;    ///< steps shorter than this lead nowhere: the layout stands
};

/// Where a design stands on its path, and the lengths of its next steps.
struct Progression {
  double place = 0;   ///< of the layout accepted last
  double ahead = 0;   ///< of the layout to be judged next
  double stride = 1;  ///< share of the way to the next reading that is tried
  double pace = 1;  ///< length of the steps of the variables, in those the updater is told to take; 1/64 to 4
  double goal = 0;  ///< of the layout accepted last; 0 before the first
  std::vector<double> goals;    ///< of the layouts accepted since this place was reached
  std::vector<double> owns;     ///< their own compliances, without the thinner layout's share in the goal
  std::vector<double> changes;  ///< shares of the mass that moved to them
  bool blocked = false;  ///< the last step was taken back: one that is accepted comes before any conclusion
  int sinceBlocked = 0;  ///< steps accepted since one was taken back
  bool operator==(const Progression&) const = default;
};

/// Judges steps by the goal, in the manner of a trust region (Conn, Gould & Toint 2000): what makes it much
/// worse is taken back and tried more gently. Sharpness and erosion wait until the layout stands, so that the
/// layout decides on the schedule, not the clock.
class Continuation {
 public:
  /// @param end the place of the last reading.
  Continuation(const ContinuationOptions& options, double end) : options_(options), end_(end) {}

  /// Takes note of a step.
  /// @param goal of the layout at `ahead`; infinite where it could not be analysed.
  /// @param own compliance of the layout itself, of which the goal may be but a part.
  /// @param change share of the mass that moved since the layout accepted last.
  /// @return whether the step is accepted; if not, the next one starts from the layout accepted last.
  bool judge(Progression& at, double goal, double own, double change) const;

  /// Chooses where the next layout is read.
  void goOn(Progression& at) const;

  bool atEnd(const Progression& at) const { return at.place >= end_; }
  /// The layout has come to rest at its place. At the end that is more than small steps: they gain nothing
  /// although they are as long as they may be, or longer ones were tried and taken back, or none however
  /// short is accepted. Nothing is gained either where only the thinner layout's compliance falls, which may
  /// go on for ever where it barely holds.
  bool rests(const Progression& at) const;
  /// At its end, and at rest there.
  bool settled(const Progression& at) const { return atEnd(at) && rests(at); }
  /// Not even a small step towards the next reading is bearable.
  bool stuck(const Progression& at) const { return at.stride < options_.leastStride; }

 private:
  ContinuationOptions options_;
  double end_;
};

}  // namespace barelattice
