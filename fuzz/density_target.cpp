// The readers of density fields. The first byte of an input chooses the format.

#include "barelattice/base/error.hpp"
#include "barelattice/formats/density_samples.hpp"
#include "target.hpp"

using namespace barelattice;

std::vector<std::string> seeds() {
  return {
      "cx,y,z,rho\n0.5,0.5,0.5,1\n1.5,0.5,0.5,0.25\n0.5,1.5,0.5,0\n1.5,1.5,0.5,0.125\n",
      R"(i<VTKFile type="ImageData" version="1.0" byte_order="LittleEndian"><ImageData WholeExtent="0 2 0 2 0 1"
Origin="0 0 0" Spacing="1 1 1"><Piece Extent="0 2 0 2 0 1"><CellData><DataArray type="Float64" Name="rho"
format="ascii">1 0.5 0.25 0</DataArray></CellData></Piece></ImageData></VTKFile>)",
      R"(i<VTKFile type="ImageData" version="1.0" byte_order="LittleEndian" header_type="UInt32"><ImageData
WholeExtent="0 1 0 1 0 1" Origin="0 0 0" Spacing="1 1 1"><Piece Extent="0 1 0 1 0 1"><CellData><DataArray
type="Float32" Name="rho" format="appended" offset="0"/></CellData></Piece></ImageData>
<AppendedData encoding="base64">_BAAAAAAAgD8=</AppendedData></VTKFile>)",
      R"(u<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian"><UnstructuredGrid><Piece
NumberOfPoints="4" NumberOfCells="1"><Points><DataArray type="Float64" NumberOfComponents="3" format="ascii">
0 0 0 1 0 0 0 1 0 0 0 1</DataArray></Points><Cells><DataArray type="Int64" Name="connectivity" format="ascii">
0 1 2 3</DataArray><DataArray type="Int64" Name="offsets" format="ascii">4</DataArray><DataArray type="UInt8"
Name="types" format="ascii">10</DataArray></Cells><CellData><DataArray type="Float64" Name="rho" format="ascii">
0.5</DataArray></CellData></Piece></UnstructuredGrid></VTKFile>)"};
}

std::vector<std::string> words() {
  return {"1e999",
          "-1",
          "nan",
          "rho",
          "BAAAAA",
          "NumberOfCells=\"9223372036854775807\"",
          "offset=\"99999999\"",
          "WholeExtent=\"0 2000000000 0 2 0 2\"",
          "<!--",
          ",,,,",
          "\n\n",
          "format=\"binary\""};
}

void read(std::string_view input) {
  if (input.empty()) return;
  const char* name = input[0] == 'c' ? "rho.csv" : input[0] == 'i' ? "rho.vti" : "rho.vtu";
  parseDensity(std::string(input.substr(1)), name, "rho", 1e-3);
}
