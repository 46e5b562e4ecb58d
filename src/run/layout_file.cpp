#include "layout_file.hpp"

#include "barelattice/base/error.hpp"
#include "barelattice/formats/vti.hpp"

namespace barelattice {

void LayoutFile::write(const std::vector<double>& density, const std::vector<double>& level) const {
  std::visit(
      [&](const auto& domain) {
        const std::vector<double> keep(domain.keep.begin(), domain.keep.end());
        CellImage image = imageOf(domain.grid, domain.thickness);
        image.fields = {{"density", spread(domain.grid, density)},
                        {"level", spread(domain.grid, level)},
                        {"fill", spread(domain.grid, domain.fill)},
                        {"keep", spread(domain.grid, keep)}};
        writeVti(path_, image);
      },
      job_.domain);
}

std::vector<double> LayoutFile::field(const std::string& name) const {
  const CellImage image = readVti(path_);
  return std::visit(
      [&](const auto& domain) {
        if (image.frame.cells != imageOf(domain.grid, domain.thickness).frame.cells)
          throw InputError(path_.filename().string() + " does not fit the brief: its box has other sizes",
                           "run optimise again");
        return gathered(domain.grid, image.field(name));
      },
      job_.domain);
}

}  // namespace barelattice
