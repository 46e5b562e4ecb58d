// One solver on one system in one process, so that its peak memory is its own:
//   peer_bench SOLVER N      prints one line of JSON
// SOLVER is ours, eigen (conjugate gradients with incomplete Cholesky), cholmod (supernodal), or petsc
// (conjugate gradients with smoothed aggregation given the rigid motions; start under mpirun for more cores).
// Seconds are those of set-up and solve; what a peer spends on assembling its matrix is given apart. Bytes
// are the peak of the process less what it held before the solver's first allocation.

#include <fmt/format.h>
#include <petscksp.h>
#include <sys/resource.h>

#include <Eigen/CholmodSupport>
#include <Eigen/IterativeLinearSolvers>
#include <Eigen/SparseCore>
#include <chrono>
#include <cstring>
#include <fstream>
#include <string>

#include "barelattice/voxels/elastic_model.hpp"
#include "layout.hpp"
#include "voxels/element.hpp"

namespace {

using namespace barelattice;

struct Outcome {
  double assembly = 0;  // s
  double seconds = 0;
  double compliance = 0;
  int iterations = 0;
  bool converged = true;
  bool reporting = true;
  double bytes = 0;
};

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

double residentBytes() {
  std::ifstream statm("/proc/self/statm");
  double total = 0;
  double resident = 0;
  statm >> total >> resident;
  return 4096 * resident;
}

using bench::peakBytes;

/// The three rows of a node: blocks against its neighbours, in units of E h; held directions keep a one.
struct NodeRows {
  NodeRows(const Grid<3>& g, const std::vector<double>& s)
      : grid(g), shares(s), stiffness(cellStiffness<3>(0.3)), held(3 * g.nodeCount(), 0) {
    for (const std::size_t dof : bench::clampedEnd(grid)) held[dof] = 1;
  }
  template <class Visit>
  void visit(std::size_t node, const Visit& each) const {
    std::array<int, 27> neighbour{};
    std::array<Eigen::Matrix3d, 27> blocks;
    neighbour.fill(-1);
    for (auto& b : blocks) b.setZero();
    for (int corner = 0; corner < 8; ++corner) {
      Index<3> at = grid.nodeIndex(node);
      for (std::size_t i = 0; i < 3; ++i) at[i] -= corner >> i & 1;
      const int cell = grid.cellAt(at);
      if (cell < 0) continue;
      const auto nodes = grid.cellNodes(static_cast<std::size_t>(cell));
      for (int other = 0; other < 8; ++other) {
        std::size_t place = 0;
        for (int i = 2; i >= 0; --i)
          place = 3 * place + static_cast<std::size_t>((other >> i & 1) - (corner >> i & 1) + 1);
        neighbour[place] = nodes[static_cast<std::size_t>(other)];
        blocks[place] +=
            shares[static_cast<std::size_t>(cell)] * stiffness.block<3, 3>(3 * corner, 3 * other);
      }
    }
    for (std::size_t place = 0; place < 27; ++place) {
      if (neighbour[place] < 0) continue;
      const auto other = static_cast<std::size_t>(neighbour[place]);
      for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j)
          if (held[gridDof(grid, node, i)] || held[gridDof(grid, other, j)])
            blocks[place](i, j) = node == other && i == j ? 1 : 0;
      each(other, blocks[place]);
    }
  }
  const Grid<3>& grid;
  const std::vector<double>& shares;
  CellMatrix<3> stiffness;
  std::vector<char> held;
};

/// Ordered by node: entry 3 n + c.
std::vector<double> loadByNode(const NodeRows& rows) {
  Forces f = bench::pushedEnd(rows.grid, rows.shares);
  std::vector<double> load(3 * rows.grid.nodeCount());
  for (std::size_t n = 0; n < rows.grid.nodeCount(); ++n)
    for (int c = 0; c < 3; ++c) {
      const std::size_t dof = gridDof(rows.grid, n, c);
      load[3 * n + static_cast<std::size_t>(c)] = rows.held[dof] ? 0 : f[dof];
    }
  return load;
}

Outcome ours(const Grid<3>& grid, const std::vector<double>& shares) {
  Outcome outcome;
  const double before = residentBytes();
  const Forces f = bench::pushedEnd(grid, shares);
  ElasticModel<3> model(grid, {"m", 1e3, 0.3, 1, 1}, bench::clampedEnd(grid));  // E h = 1
  std::vector<double> u(model.size(), 0.0);
  const double start = now();
  model.setRelativeModuli(shares);
  const SolveReport report = model.solve(f, u, {1e-6, 400});
  outcome.seconds = now() - start;
  outcome.compliance = report.work;
  outcome.iterations = report.iterations;
  outcome.converged = report.succeeded();
  outcome.bytes = peakBytes() - before;
  return outcome;
}

Eigen::SparseMatrix<double> assembled(const NodeRows& rows) {
  const auto n = static_cast<Eigen::Index>(3 * rows.grid.nodeCount());
  Eigen::SparseMatrix<double> a(n, n);
  a.reserve(Eigen::VectorXi::Constant(n, 81));
  for (std::size_t node = 0; node < rows.grid.nodeCount(); ++node)
    rows.visit(node, [&](std::size_t other, const Eigen::Matrix3d& block) {
      for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j)
          if (block(i, j) != 0)
            a.insert(static_cast<Eigen::Index>(3 * other) + j, static_cast<Eigen::Index>(3 * node) + i) =
                block(i, j);
    });
  a.makeCompressed();
  return a;
}

template <class Solver>
Outcome withEigen(const Grid<3>& grid, const std::vector<double>& shares, Solver& solver,
                  const std::function<int(Solver&)>& iterations) {
  Outcome outcome;
  const double before = residentBytes();
  const NodeRows rows(grid, shares);
  double start = now();
  const Eigen::SparseMatrix<double> a = assembled(rows);
  const std::vector<double> load = loadByNode(rows);
  const Eigen::Map<const Eigen::VectorXd> f(load.data(), static_cast<Eigen::Index>(load.size()));
  outcome.assembly = now() - start;
  start = now();
  solver.compute(a);
  const Eigen::VectorXd u = solver.solve(f);
  outcome.seconds = now() - start;
  outcome.compliance = f.dot(u);
  outcome.iterations = iterations(solver);
  outcome.bytes = peakBytes() - before;
  return outcome;
}

void check(PetscErrorCode code) {
  if (code) throw std::runtime_error("PETSc error " + std::to_string(code));
}

Outcome petsc(const Grid<3>& grid, const std::vector<double>& shares) {
  Outcome outcome;
  int rank = 0;
  int ranks = 1;
  MPI_Comm_rank(PETSC_COMM_WORLD, &rank);
  MPI_Comm_size(PETSC_COMM_WORLD, &ranks);
  const double before = residentBytes();
  const NodeRows rows(grid, shares);
  double start = now();
  const auto nodes = static_cast<PetscInt>(grid.nodeCount());
  const PetscInt first = nodes * rank / ranks;
  const PetscInt last = nodes * (rank + 1) / ranks;
  Mat a = nullptr;
  check(MatCreateAIJ(PETSC_COMM_WORLD, 3 * (last - first), 3 * (last - first), 3 * nodes, 3 * nodes, 81,
                     nullptr, 54, nullptr, &a));
  check(MatSetBlockSize(a, 3));
  for (PetscInt node = first; node < last; ++node)
    rows.visit(static_cast<std::size_t>(node), [&](std::size_t other, const Eigen::Matrix3d& block) {
      const Eigen::Matrix<double, 3, 3, Eigen::RowMajor> values = block;
      const auto column = static_cast<PetscInt>(other);
      check(MatSetValuesBlocked(a, 1, &node, 1, &column, values.data(), INSERT_VALUES));
    });
  check(MatAssemblyBegin(a, MAT_FINAL_ASSEMBLY));
  check(MatAssemblyEnd(a, MAT_FINAL_ASSEMBLY));
  Vec f = nullptr;
  Vec u = nullptr;
  Vec places = nullptr;
  check(MatCreateVecs(a, &u, &f));
  check(VecDuplicate(f, &places));
  check(VecSetBlockSize(places, 3));
  const std::vector<double> load = loadByNode(rows);
  for (PetscInt node = first; node < last; ++node)
    for (PetscInt c = 0; c < 3; ++c) {
      check(VecSetValue(f, 3 * node + c, load[static_cast<std::size_t>(3 * node + c)], INSERT_VALUES));
      check(VecSetValue(places, 3 * node + c,
                        grid.nodeIndex(static_cast<std::size_t>(node))[static_cast<std::size_t>(c)],
                        INSERT_VALUES));
    }
  for (Vec v : {f, places}) {
    check(VecAssemblyBegin(v));
    check(VecAssemblyEnd(v));
  }
  MatNullSpace rigid = nullptr;
  check(MatNullSpaceCreateRigidBody(places, &rigid));
  check(MatSetNearNullSpace(a, rigid));
  check(MatSetOption(a, MAT_SPD, PETSC_TRUE));
  outcome.assembly = now() - start;
  MPI_Barrier(PETSC_COMM_WORLD);
  start = now();
  KSP ksp = nullptr;
  PC pc = nullptr;
  check(KSPCreate(PETSC_COMM_WORLD, &ksp));
  check(KSPSetOperators(ksp, a, a));
  check(KSPSetType(ksp, KSPCG));
  check(KSPSetNormType(ksp, KSP_NORM_NATURAL));  // sqrt(r^T B r): near the energy norm of the error
  check(KSPSetTolerances(ksp, 1e-3, PETSC_DEFAULT, PETSC_DEFAULT, 2000));
  check(KSPGetPC(ksp, &pc));
  check(PCSetType(pc, PCGAMG));
  check(KSPSetFromOptions(ksp));
  check(KSPSolve(ksp, f, u));
  outcome.seconds = now() - start;
  KSPConvergedReason reason = KSP_CONVERGED_ITERATING;
  check(KSPGetConvergedReason(ksp, &reason));
  outcome.converged = reason > 0;
  PetscInt iterations = 0;
  check(KSPGetIterationNumber(ksp, &iterations));
  PetscScalar work = 0;
  check(VecDot(f, u, &work));
  outcome.compliance = work;
  outcome.iterations = static_cast<int>(iterations);
  double mine = peakBytes() - before;
  MPI_Reduce(&mine, &outcome.bytes, 1, MPI_DOUBLE, MPI_SUM, 0, PETSC_COMM_WORLD);
  outcome.reporting = rank == 0;
  return outcome;
}

}  // namespace

int main(int argc, char** argv) {
  const bool parallel = argc > 1 && std::strcmp(argv[1], "petsc") == 0;
  if (parallel) check(PetscInitialize(&argc, &argv, nullptr, nullptr));
  if (argc < 3) {
    fmt::print(stderr, "usage: peer_bench ours|eigen|cholmod|petsc N\n");
    return 2;
  }
  const std::string solver = argv[1];
  const Grid<3> grid = bench::block(std::stoi(argv[2]));
  const std::vector<double> shares = bench::latticeShares(grid);
  Outcome outcome;
  if (solver == "ours") {
    outcome = ours(grid, shares);
  } else if (solver == "eigen") {
    using Solver = Eigen::ConjugateGradient<Eigen::SparseMatrix<double>, Eigen::Lower | Eigen::Upper,
                                            Eigen::IncompleteCholesky<double>>;
    Solver conjugate;
    conjugate.setTolerance(1e-6);
    conjugate.setMaxIterations(20000);
    outcome = withEigen<Solver>(grid, shares, conjugate,
                                [](Solver& s) { return static_cast<int>(s.iterations()); });
  } else if (solver == "cholmod") {
    using Solver = Eigen::CholmodSupernodalLLT<Eigen::SparseMatrix<double>>;
    Solver direct;
    outcome = withEigen<Solver>(grid, shares, direct, [](Solver&) { return 0; });
  } else if (solver == "petsc") {
    outcome = petsc(grid, shares);
  } else {
    fmt::print(stderr, "unknown solver {}\n", solver);
    return 2;
  }
  if (outcome.reporting)
    fmt::print(
        R"({{"solver":"{}","n":{},"voxels":{},"assembly_s":{:.3f},"seconds":{:.3f},"bytes":{:.0f},"iterations":{},"compliance":{:.10g},"converged":{}}})"
        "\n",
        solver, argv[2], grid.cellCount(), outcome.assembly, outcome.seconds, outcome.bytes,
        outcome.iterations, outcome.compliance, outcome.converged);
  if (parallel) check(PetscFinalize());
  return 0;
}
