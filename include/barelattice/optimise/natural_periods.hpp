/// @file
/// How slowly a layout swings.
#pragma once

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// The longest natural period, 1 / f of the lowest natural frequency, s, under each set of supports, as a
/// mean of high power over the lowest modes, which has derivatives also where modes share a frequency and
/// where they change their order:
///   g = (sum_i T_i^p)^(1/p),   T_i = 2 pi / sqrt(l_i),   l_i = (2 pi f_i)^2
///   dg = g^(1-p) sum_i T_i^(p-1) dT_i,   dT_i = -T_i / (2 l_i) dl_i
/// with p = 24. A function of the l_i that does not change when they are permuted is differentiable as a
/// function of the matrices, whatever eigenvectors stand for a repeated l_i (Torii & de Faria 2017). g is
/// above the longest period: by 2.9 % where two modes share it, by 2e-4 where the next is a fifth shorter.
/// Four modes are looked at; a fifth as slow would have no say. Light material takes part with a mass that
/// falls as fast as its stiffness, see vibratingShare.
class NaturalPeriods final : public Response {
 public:
  /// @param name heads the columns: "name_in_push_s", by the first case on the supports.
  explicit NaturalPeriods(std::string name = "longest_period") : name_(std::move(name)) {}

  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override;
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  int modes() const override { return 4; }
  bool heldByCompliance() const override { return true; }

 private:
  std::string name_;
};

}  // namespace barelattice
