// Stress at the corners of a mesh, recovered from what was found round them, and the energies that follow.
#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

#include "barelattice/tets/quadratic_tets.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "tet_element.hpp"

namespace barelattice {
namespace {

/// Stress at an integration point.
struct Sample {
  Vec3 position;
  Stress stress;
};

/// Stress is linear in a tetrahedron with straight edges: its value v_a at a corner follows from those at the
/// four points, s_q = b (v_0 + v_1 + v_2 + v_3) + (a - b) v_q with a + 3 b = 1, so that both sums agree.
Stress cornerValue(const std::array<Sample, 4>& samples, std::size_t corner) {
  const Barycentric point = quadraturePoints()[0];
  const double far = point.minCoeff();
  const Stress sum = samples[0].stress + samples[1].stress + samples[2].stress + samples[3].stress;
  return (samples[corner].stress - far * sum) / (point.maxCoeff() - far);
}

/// The image of a stress behind a plane of symmetry: shear with one index along its normal changes sign.
void reflect(Vec3& position, Stress& stress, const StressMirror& mirror) {
  position[mirror.axis] = 2 * mirror.at - position[mirror.axis];
  constexpr std::array<std::array<int, 2>, 3> kShear{{{4, 5}, {3, 5}, {3, 4}}};  // of yz, xz, xy
  for (const int s : kShear[static_cast<std::size_t>(mirror.axis)]) stress[s] = -stress[s];
}

// Recovery (Zienkiewicz & Zhu 1992). Displacements are quadratic, so found stress is linear in a tetrahedron
// and jumps between them; at the four points of the rule of degree two it is an order better than elsewhere.
// At each corner x_0 a linear function is fitted to the samples s_q at x_q of the tetrahedra round it,
// weighted with their volumes V:
//
//   minimise sum_q V_q |a + G (x_q - x_0) - s_q|^2                                (1)
//   t = (1, (x - x_0) / reach):  (sum V t t^T) A = sum V t s^T,  stress = row 0 of A     (2)
//
// Inside it is exact for linear stress; on a plane of symmetry the patch is one-sided and would extrapolate,
// so the mirror images of all samples are added, which (1) may take as given. Shear with one index along the
// plane's normal changes sign there.
//
// The recovered stress s*, linear between corners, is nearer the truth than the found s; so the energy
//
//   G = integral of (s* - s)^T C^-1 (s* - s)                                      (3)
//
// estimates the error's energy, and falls with its order.

/// Stress at corners of the mesh, each a linear fit over the points of the tetrahedra round it.
class StressRecovery {
 public:
  StressRecovery(const QuadraticTets& mesh, const TetMaterials& materials,
                 std::span<const double> displacement, const std::vector<StressMirror>& mirrors,
                 double temperature)
      : mesh_(mesh),
        materials_(materials),
        mirrors_(mirrors),
        samples_(mesh.tets().size()),
        volume_(mesh.tets().size()),
        round_(mesh.tets(), mesh.nodes().size()) {
    const std::vector<Law> laws = lawsOf(materials);
    const std::vector<double> growth = growthStresses(materials, temperature);
    const auto points = quadraturePoints();
    forEach(
        samples_.size(),
        [&](std::size_t k) {
          const auto& t = mesh.tets()[k];
          const auto at = [&](std::size_t i) -> const Vec3& { return node(static_cast<std::size_t>(t[i])); };
          const Cell cell(at(0), at(1), at(2), at(3));
          const auto u = gathered(t, displacement);
          volume_[k] = cell.volume;
          for (std::size_t q = 0; q < 4; ++q) {
            Vec3 position = Vec3::Zero();
            for (std::size_t i = 0; i < 4; ++i) position += points[q][static_cast<Eigen::Index>(i)] * at(i);
            const std::size_t material = materials.numberOf(k);
            samples_[k][q] = {position,
                              stressAt(laws[material], cell.gradients(points[q]), u, growth[material])};
          }
        },
        kTetsPerBlock);
  }

  /// In the material that uses most of its strength there.
  MaterialStress at(std::size_t corner) const {
    std::vector<std::size_t> numbers;
    for (std::size_t k = round_.start[corner]; k < round_.start[corner + 1]; ++k)
      numbers.push_back(materials_.numberOf(static_cast<std::size_t>(round_.tet[k])));
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    MaterialStress result;
    double most = -1;
    for (const std::size_t number : numbers) {
      MaterialStress own{fitted(corner, number), number};
      own.spread = spread(corner, own);
      const double used = vonMises(own.stress) / materials_.materials[number].strength;
      if (used <= most) continue;
      most = used;
      result = own;
    }
    return result;
  }

 private:
  const Vec3& node(std::size_t n) const { return mesh_.nodes()[n]; }

  void appendRound(std::size_t corner, std::size_t material, std::vector<int>& patch) const {
    for (std::size_t k = round_.start[corner]; k < round_.start[corner + 1]; ++k)
      if (materials_.numberOf(static_cast<std::size_t>(round_.tet[k])) == material)
        patch.push_back(round_.tet[k]);
  }

  /// The tetrahedra a corner's fit is made over: those round it, and if with their images they are few, the
  /// ones beside them.
  std::vector<int> patchOf(std::size_t corner, std::size_t material, std::size_t images) const {
    constexpr std::size_t kFew = 10;  // a corner inside has some 24
    std::vector<int> patch;
    appendRound(corner, material, patch);
    if (images * patch.size() >= kFew) return patch;
    const std::vector<int> own = patch;
    for (const int k : own)
      for (std::size_t i = 0; i < 4; ++i)
        appendRound(static_cast<std::size_t>(mesh_.tets()[static_cast<std::size_t>(k)][i]), material, patch);
    std::sort(patch.begin(), patch.end());
    patch.erase(std::unique(patch.begin(), patch.end()), patch.end());
    return patch;
  }

  /// The value at a corner of the linear function that fits the stress round it best, by least squares
  /// weighted with volume. Planes of symmetry through the corner add the images of all points.
  Stress fitted(std::size_t corner, std::size_t material) const {
    std::vector<const StressMirror*> through;
    for (const StressMirror& mirror : mirrors_)
      if (std::binary_search(mirror.nodes.begin(), mirror.nodes.end(), corner)) through.push_back(&mirror);
    const std::size_t images = std::size_t{1} << through.size();
    const std::vector<int> patch = patchOf(corner, material, images);
    double reach = 0;
    for (const int k : patch)
      for (const Sample& s : samples_[static_cast<std::size_t>(k)])
        reach = std::max(reach, (s.position - node(corner)).norm());
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Matrix<double, 4, 6> right = Eigen::Matrix<double, 4, 6>::Zero();
    for (const int k : patch)
      for (const Sample& sample : samples_[static_cast<std::size_t>(k)])
        for (std::size_t image = 0; image < images; ++image) {
          Sample s = sample;
          for (std::size_t m = 0; m < through.size(); ++m)
            if (image >> m & 1) reflect(s.position, s.stress, *through[m]);
          Eigen::Vector4d terms;
          terms << 1, (s.position - node(corner)) / reach;  // (2)
          normal += volume_[static_cast<std::size_t>(k)] * terms * terms.transpose();
          right += volume_[static_cast<std::size_t>(k)] * terms * s.stress.transpose();
        }
    // A patch in one plane has no slope across it; a trace of regularisation leaves it flat there.
    normal.diagonal().tail<3>().array() += 1e-13 * normal(0, 0);
    return normal.ldlt().solve(right).row(0).transpose();
  }

  /// See MaterialStress::spread.
  double spread(std::size_t corner, const MaterialStress& fit) const {
    double sum = 0;
    double total = 0;
    for (std::size_t i = round_.start[corner]; i < round_.start[corner + 1]; ++i) {
      const auto k = static_cast<std::size_t>(round_.tet[i]);
      if (materials_.numberOf(k) != fit.material) continue;
      const Stress here = cornerValue(samples_[k], static_cast<std::size_t>(round_.local[i]));
      const double off = vonMises(here - fit.stress);
      sum += volume_[k] * off * off;
      total += volume_[k];
    }
    return std::sqrt(sum / total);
  }

  const QuadraticTets& mesh_;
  const TetMaterials& materials_;
  const std::vector<StressMirror>& mirrors_;
  std::vector<std::array<Sample, 4>> samples_;
  std::vector<double> volume_;
  Incidence round_;
};

}  // namespace

std::vector<MaterialStress> QuadraticTets::cornerStress(const TetMaterials& materials,
                                                        std::span<const double> displacement,
                                                        const std::vector<StressMirror>& mirrors,
                                                        double temperature) const {
  validate(materials, tets_.size());
  requireCount("displacement", displacement.size(), 3 * nodes_.size(), "degrees of freedom");
  const StressRecovery recovery(*this, materials, displacement, mirrors, temperature);
  std::vector<MaterialStress> stress(corners_);
  forEach(
      corners_, [&](std::size_t n) { stress[n] = recovery.at(n); }, kTetsPerBlock);
  return stress;
}

QuadraticTets::Energies QuadraticTets::energies(const TetMaterials& materials,
                                                std::span<const double> displacement,
                                                const std::vector<MaterialStress>& recovered,
                                                double temperature) const {
  validate(materials, tets_.size());
  requireCount("displacement", displacement.size(), 3 * nodes_.size(), "degrees of freedom");
  requireCount("recovered", recovered.size(), corners_, "corner nodes");
  const std::vector<Law> laws = lawsOf(materials);
  std::vector<Law> compliances;
  for (const Law& law : laws) compliances.push_back(law.inverse());
  const std::vector<double> growth = growthStresses(materials, temperature);
  const auto points = quadraturePoints();
  const std::size_t blocks = (tets_.size() + kTetsPerBlock - 1) / kTetsPerBlock;
  std::vector<Energies> parts(blocks);
  forEach(
      blocks,
      [&](std::size_t block) {
        Energies& sum = parts[block];
        sum.storedByMaterial.assign(laws.size(), 0.0);
        const std::size_t end = std::min(tets_.size(), (block + 1) * kTetsPerBlock);
        for (std::size_t k = block * kTetsPerBlock; k < end; ++k) {
          const auto& t = tets_[k];
          const std::size_t material = materials.numberOf(k);
          const auto own = [&](std::size_t i) -> const MaterialStress& {
            return recovered[static_cast<std::size_t>(t[i])];
          };
          const bool within = own(0).material == material && own(1).material == material &&
                              own(2).material == material && own(3).material == material;
          const auto at = [&](std::size_t i) -> const Vec3& {
            return nodes_[static_cast<std::size_t>(t[i])];
          };
          const Cell cell(at(0), at(1), at(2), at(3));
          const auto u = gathered(t, displacement);
          for (const Barycentric& point : points) {
            const Stress found = stressAt(laws[material], cell.gradients(point), u, growth[material]);
            sum.storedByMaterial[material] += cell.volume / 4 * found.dot(compliances[material] * found);
            if (!within) continue;
            Stress gap = -found;
            for (std::size_t i = 0; i < 4; ++i) gap += point[static_cast<Eigen::Index>(i)] * own(i).stress;
            sum.gap += cell.volume / 4 * gap.dot(compliances[material] * gap);  // (3)
          }
        }
      },
      1);
  Energies total;
  total.storedByMaterial.assign(laws.size(), 0.0);
  for (const Energies& part : parts) {
    total.gap += part.gap;
    for (std::size_t m = 0; m < laws.size(); ++m) total.storedByMaterial[m] += part.storedByMaterial[m];
  }
  for (const double stored : total.storedByMaterial) total.stored += stored;
  return total;
}

}  // namespace barelattice
