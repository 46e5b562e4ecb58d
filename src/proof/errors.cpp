#include "barelattice/proof/errors.hpp"

#include <algorithm>

namespace barelattice {

CaseErrors errorsOf(const Proof& coarse, const Proof& fine, std::size_t k, double ratio) {
  const CaseProof& c = fine.cases[k];
  const CaseProof& rough = coarse.cases[k];
  CaseErrors errors;
  errors.order = std::log(rough.recoveryGap / c.recoveryGap) / std::log(ratio);
  errors.compliance = {c.compliance, rough.compliance, c.recoveryGap};
  errors.judgedStress = {c.judgedStress, rough.judgedStress, c.judgedSpread};
  for (std::size_t f = 0; f < c.faceDisplacement.size(); ++f)
    errors.faceDisplacement.push_back({c.faceDisplacement[f].norm(), rough.faceDisplacement[f].norm(),
                                       (c.faceDisplacement[f] - rough.faceDisplacement[f]).norm()});
  return errors;
}

}  // namespace barelattice
