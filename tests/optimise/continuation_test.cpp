#include "barelattice/optimise/continuation.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

namespace barelattice {
namespace {

constexpr double kNever = std::numeric_limits<double>::infinity();

TEST(Path, interpolatesBetweenItsReadings) {
  const Path path{{1, 0, 2}, {4, 0.2, 1}};
  EXPECT_EQ(readingAt(path, 0).sharpness, 1);
  EXPECT_DOUBLE_EQ(readingAt(path, 0.5).sharpness, 2);
  EXPECT_DOUBLE_EQ(readingAt(path, 0.5).erosion, 0.1);
  EXPECT_DOUBLE_EQ(readingAt(path, 0.5).widening, 1.5);
  EXPECT_EQ(readingAt(path, 1).sharpness, 4);
  EXPECT_EQ(readingAt(path, 7).sharpness, 4) << "beyond its end the last one holds";
}

TEST(Path, usualOneEndsSharpErodedAndWithTheFilterOfTheMembers) {
  for (const double widening : {1.0, 2.0, 8.0}) {
    const Path path = usualPath(widening, 0.25);
    EXPECT_EQ(path.front().widening, widening);
    EXPECT_EQ(path.front().erosion, 0);
    EXPECT_EQ(path.back().sharpness, 32);
    EXPECT_EQ(path.back().erosion, 0.25);
    for (std::size_t k = 1; k < path.size(); ++k) {
      EXPECT_GE(path[k].sharpness, path[k - 1].sharpness);
      EXPECT_GE(path[k].erosion, path[k - 1].erosion);
      EXPECT_LE(path[k].widening, path[k - 1].widening);
      if (path[k].erosion > 0) {
        EXPECT_EQ(path[k].widening, 1);
      }
    }
  }
  EXPECT_EQ(usualPath(1, 0).back().erosion, 0);
}

struct Walk {
  Continuation judge{ContinuationOptions(), 3};
  Progression at;

  bool step(double goal, double change = 0.1, double own = 0) {
    const bool accepted = judge.judge(at, goal, own > 0 ? own : goal, change);
    judge.goOn(at);
    return accepted;
  }
};

TEST(Continuation, waitsUntilTheLayoutStandsBeforeItGoesOn) {
  Walk walk;
  EXPECT_TRUE(walk.step(100));
  for (const double goal : {80.0, 60.0, 50.0}) {
    EXPECT_TRUE(walk.step(goal));
    EXPECT_EQ(walk.at.ahead, 0) << "it still gains";
  }
  EXPECT_TRUE(walk.step(49.9));
  EXPECT_EQ(walk.at.ahead, 1);
  EXPECT_TRUE(walk.step(55)) << "a new reading may cost something";
  EXPECT_EQ(walk.at.place, 1);
  EXPECT_EQ(walk.at.ahead, 1) << "one step there says nothing yet";
}

TEST(Continuation, takesBackWhatMakesTheLayoutMuchWorse) {
  Walk walk;
  walk.step(100);
  EXPECT_TRUE(walk.step(102.5)) << "a little worse is borne";
  const double pace = walk.at.pace;
  EXPECT_FALSE(walk.step(110));
  EXPECT_EQ(walk.at.goal, 102.5);
  EXPECT_LT(walk.at.pace, pace);
  EXPECT_FALSE(walk.step(kNever)) << "so is what could not be analysed";
  EXPECT_FALSE(walk.step(std::nan(""))) << "and what is no number";
  EXPECT_TRUE(walk.step(90));
}

TEST(Continuation, triesANewReadingMoreGentlyAndGivesUpInTheEnd) {
  Walk walk;
  walk.step(100);
  walk.step(100);
  double stride = 1;
  for (int round = 0; round < 6; ++round) {
    ASSERT_FALSE(walk.judge.stuck(walk.at));
    EXPECT_DOUBLE_EQ(walk.at.ahead, stride);
    EXPECT_FALSE(walk.step(1000));
    EXPECT_EQ(walk.at.ahead, 0) << "first a step at the reading it has";
    EXPECT_TRUE(walk.step(100));
    stride *= 0.5;
  }
  EXPECT_TRUE(walk.judge.stuck(walk.at));
}

TEST(Continuation, settlesOnlyAtItsEndAndNeverOnSomethingWorse) {
  Walk walk;
  walk.at.place = walk.at.ahead = 3;
  walk.at.goal = 100;
  walk.at.goals = {100};
  walk.at.changes = {0.1};
  walk.at.pace = 4;
  EXPECT_FALSE(walk.step(100.1)) << "at the end nothing worse is accepted";
  for (int step = 1; step <= 5; ++step) {
    EXPECT_FALSE(walk.judge.settled(walk.at)) << "five steps are looked at";
    EXPECT_TRUE(walk.step(100 - 0.02 * step, step == 2 ? 0.02 : 1e-3));
  }
  EXPECT_FALSE(walk.judge.settled(walk.at)) << "one of them moved a lot";
  EXPECT_TRUE(walk.step(99.89, 1e-3));
  EXPECT_FALSE(walk.judge.settled(walk.at)) << "it is still among the five";
  EXPECT_TRUE(walk.step(99.88, 1e-3));
  EXPECT_TRUE(walk.judge.settled(walk.at));
  EXPECT_FALSE(walk.step(101));
  EXPECT_FALSE(walk.judge.settled(walk.at)) << "a step taken back says nothing";
  walk.step(99.87, 1e-3);
  EXPECT_TRUE(walk.judge.settled(walk.at)) << "longer ones were tried";
  walk.at.place = walk.at.ahead = 2;
  walk.at.goals.back() = walk.at.goal = 90;
  EXPECT_FALSE(walk.judge.settled(walk.at));
}

TEST(Continuation, restsWhenOnlyTheThinnerLayoutStillGains) {
  for (const double drift : {0.0001, 0.0004}) {
    Walk walk;
    walk.at.place = walk.at.ahead = 3;
    walk.at.goal = 200;
    walk.at.goals = {200};
    walk.at.owns = {100};
    walk.at.changes = {0.1};
    walk.at.pace = 4;
    for (int step = 1; step <= 9; ++step) {
      walk.step(200 - 2 * step, 1e-3, 100 * (1 + drift * step));
      EXPECT_FALSE(walk.judge.settled(walk.at)) << "ten steps are looked at";
    }
    for (int step = 10; step <= 14; ++step) walk.step(200 - 2 * step, 1e-3, 100 * (1 + drift * step));
    EXPECT_EQ(walk.judge.settled(walk.at), drift < 0.0002);
  }
}

TEST(Continuation, doesNotTakeShortStepsForRest) {
  Walk walk;
  walk.at.place = walk.at.ahead = 3;
  walk.at.goal = 100;
  walk.at.goals = {100};
  walk.at.changes = {0.1};
  walk.at.pace = 0.05;  // held back long ago
  walk.at.sinceBlocked = 10;
  for (int step = 1; step <= 8; ++step) {
    walk.step(100 - 0.01 * step, 1e-4);
    EXPECT_FALSE(walk.judge.settled(walk.at)) << "pace " << walk.at.pace;
  }
  while (walk.at.pace < 4) walk.step(walk.at.goal - 0.01, 1e-4);
  EXPECT_TRUE(walk.judge.settled(walk.at));
}

TEST(Continuation, standsWhenNoStepHoweverSmallHelps) {
  Walk walk;
  walk.at.place = walk.at.ahead = 3;
  walk.at.goal = 100;
  int steps = 0;
  while (!walk.judge.settled(walk.at) && steps < 20) {
    walk.judge.judge(walk.at, 101, 101, 0.1);
    ++steps;
  }
  EXPECT_TRUE(walk.judge.settled(walk.at));
  EXPECT_LT(steps, 10);
  EXPECT_EQ(walk.at.goal, 100);
}

}  // namespace
}  // namespace barelattice
