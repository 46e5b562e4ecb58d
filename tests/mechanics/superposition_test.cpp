#include "solve/superposition.hpp"

#include <gtest/gtest.h>

#include <Eigen/LU>
#include <random>

namespace barelattice {
namespace {

// Fields made up of a few at random: no more than those are solved, and all follow from them.
TEST(Superposition, findsABaseOfTheLeastSize) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> any(-1, 1);
  for (const Eigen::Index rank : {1, 2, 5}) {
    Eigen::MatrixXd units(40, rank);
    Eigen::MatrixXd factors(rank, 12);
    for (double& value : units.reshaped()) value = any(random);
    for (double& value : factors.reshaped()) value = any(random);
    factors.col(7) *= 1e-6;  // a small load is a load
    const Eigen::MatrixXd fields = units * factors;
    const Superposition found = superposed(fields.transpose() * fields);
    ASSERT_EQ(found.base.size(), static_cast<std::size_t>(rank));
    for (Eigen::Index k = 0; k < 12; ++k) {
      Eigen::VectorXd sum = Eigen::VectorXd::Zero(40);
      for (std::size_t b = 0; b < found.base.size(); ++b)
        sum += found.combination(k, static_cast<Eigen::Index>(b)) *
               fields.col(static_cast<Eigen::Index>(found.base[b]));
      EXPECT_LT((sum - fields.col(k)).norm(), 1e-6 * fields.col(k).norm()) << "seed 5, rank " << rank;
    }
  }
}

TEST(Superposition, takesWhatIsNearlyASumForNone) {
  Eigen::MatrixXd fields(3, 3);
  fields.col(0) << 1, 0, 0;
  fields.col(1) << 0, 1, 0;
  fields.col(2) << 1, 1, 1e-6;
  EXPECT_EQ(superposed(fields.transpose() * fields).base.size(), 3U);
  // A difference of two that are almost equal would multiply their errors.
  fields.col(0) << 1, 0, 0;
  fields.col(1) << 1, 1e-3, 0;
  fields.col(2) << 0, 1, 0;
  EXPECT_EQ(superposed(fields.transpose() * fields).base.size(), 3U);
  EXPECT_EQ(superposed(Eigen::MatrixXd::Zero(2, 2)).base.size(), 2U) << "nothing is solved at no cost";
}

}  // namespace
}  // namespace barelattice
