// barelattice-cad: reads a STEP file with the CAD kernel and writes what it holds to standard output, as CBOR
// (RFC 8949): a tree like that of JSON whose numbers need not be turned into digits and back.
//
// A program of its own, because the kernel is not ours: a damaged file can cost it memory, time or its life,
// and the library that calls it (formats/cad.cpp) sets limits to all three. Lengths in m, areas in m2,
// volumes in m3; angles in radians.

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepGProp_Domain.hxx>
#include <BRepGProp_Face.hxx>
#include <BRepGProp_Sinert.hxx>
#include <BRepGProp_Vinert.hxx>
#include <BRepLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <OSD_Parallel.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <STEPControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <StepBasic_Product.hxx>
#include <StepBasic_ProductDefinition.hxx>
#include <StepBasic_ProductDefinitionFormation.hxx>
#include <StepRepr_NextAssemblyUsageOccurrence.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopTools_MapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Iterator.hxx>
#include <TopoDS_Vertex.hxx>
#include <TransferBRep.hxx>
#include <Transfer_Binder.hxx>
#include <Transfer_TransientProcess.hxx>
#include <XSAlgo.hxx>
#include <XSAlgo_AlgoContainer.hxx>
#include <XSControl_TransferReader.hxx>
#include <XSControl_WorkSession.hxx>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace {

using nlohmann::json;

constexpr double kMetresPerUnit = 1e-3;  // the kernel is told to hand out millimetres

json listOf(const gp_XYZ& v, double scale) {
  return {v.X() * scale, v.Y() * scale, v.Z() * scale};
}
json place(const gp_Pnt& p) {
  return listOf(p.XYZ(), kMetresPerUnit);
}
json unit(const gp_Dir& d) {
  return listOf(d.XYZ(), 1);
}

/// The surface a face is cut from, with the part of it the face covers.
json surfaceOf(const TopoDS_Face& face) {
  const BRepAdaptor_Surface surface(face);
  const bool reversed = face.Orientation() == TopAbs_REVERSED;
  double u0 = 0, u1 = 0, v0 = 0, v1 = 0;
  BRepTools::UVBounds(face, u0, u1, v0, v1);
  // About an axis: where the covered part begins, the direction in which its angle is counted from.
  const auto turned = [&](const gp_Ax3& axes, const char* kind) {
    const gp_Dir across(axes.XDirection().XYZ() * std::cos(u0) + axes.YDirection().XYZ() * std::sin(u0));
    // Angles are counted against a left-handed system: begin at the other end then.
    const gp_Dir last(axes.XDirection().XYZ() * std::cos(u1) + axes.YDirection().XYZ() * std::sin(u1));
    return json{{"kind", kind},
                {"axis", unit(axes.Direction())},
                {"from", unit(axes.Direct() ? across : last)},
                {"sweep", std::min(u1 - u0, 2 * M_PI)},
                {"inward", axes.Direct() == reversed}};
  };
  switch (surface.GetType()) {
    case GeomAbs_Plane: {
      const gp_Pln plane = surface.Plane();
      gp_Dir normal = plane.Axis().Direction();
      if (plane.Direct() == reversed) normal.Reverse();
      return {{"kind", "plane"}, {"origin", place(plane.Location())}, {"axis", unit(normal)}};
    }
    case GeomAbs_Cylinder: {
      const gp_Cylinder c = surface.Cylinder();
      json result = turned(c.Position(), "cylinder");
      const gp_XYZ axis = c.Axis().Direction().XYZ();
      result["origin"] = place(gp_Pnt(c.Location().XYZ() + v0 * axis));
      result["length"] = (v1 - v0) * kMetresPerUnit;
      result["radius"] = c.Radius() * kMetresPerUnit;
      return result;
    }
    case GeomAbs_Cone: {
      const gp_Cone c = surface.Cone();
      json result = turned(c.Position(), "cone");
      const gp_XYZ axis = c.Axis().Direction().XYZ();
      const double slope = std::sin(c.SemiAngle());
      double start = c.RefRadius() + v0 * slope;
      double end = c.RefRadius() + v1 * slope;
      result["origin"] = place(gp_Pnt(c.Location().XYZ() + v0 * std::cos(c.SemiAngle()) * axis));
      result["length"] = (v1 - v0) * std::cos(c.SemiAngle()) * kMetresPerUnit;
      // Beyond the apex the surface goes on with negative radii.
      result["radius"] = std::max(0.0, start) * kMetresPerUnit;
      result["end_radius"] = std::max(0.0, end) * kMetresPerUnit;
      return result;
    }
    case GeomAbs_Sphere: {
      const gp_Sphere s = surface.Sphere();
      json result = turned(s.Position(), "sphere");
      result["origin"] = place(s.Location());
      result["radius"] = s.Radius() * kMetresPerUnit;
      return result;
    }
    case GeomAbs_Torus: {
      const gp_Torus t = surface.Torus();
      json result = turned(t.Position(), "torus");
      result["origin"] = place(t.Location());
      result["radius"] = t.MajorRadius() * kMetresPerUnit;
      result["end_radius"] = t.MinorRadius() * kMetresPerUnit;
      return result;
    }
    default:
      return {{"kind", "freeform"}};
  }
}

/// Triangles of the faces of a solid whose nodes on common edges are the same.
class Surface {
 public:
  explicit Surface(const TopTools_IndexedMapOfShape& faces) {
    for (int f = 1; f <= faces.Extent(); ++f) add(TopoDS::Face(faces(f)), f - 1);
  }

  void write(json& solid) const {
    std::vector<int> number(points_.size(), -1);
    json vertices = json::array();
    json triangles = json::array();
    int count = 0;
    for (std::size_t t = 0; t < corners_.size(); ++t) {
      std::array<int, 3> roots{};
      for (std::size_t i = 0; i < 3; ++i) roots[i] = find(corners_[t][i]);
      if (roots[0] == roots[1] || roots[1] == roots[2] || roots[2] == roots[0]) continue;
      for (const int root : roots) {
        int& n = number[static_cast<std::size_t>(root)];
        if (n < 0) {
          n = count++;
          for (int k = 1; k <= 3; ++k)
            vertices.push_back(points_[static_cast<std::size_t>(root)].Coord(k) * kMetresPerUnit);
        }
        triangles.push_back(n);
      }
      triangles.push_back(faceOf_[t]);
    }
    solid["vertices"] = std::move(vertices);
    solid["triangles"] = std::move(triangles);  // three vertices and the face, again and again
  }

 private:
  int find(int i) const {
    while (parent_[static_cast<std::size_t>(i)] != i) i = parent_[static_cast<std::size_t>(i)];
    return i;
  }
  void join(int a, int b) { parent_[static_cast<std::size_t>(find(b))] = find(a); }

  void add(const TopoDS_Face& face, int number) {
    TopLoc_Location location;
    const Handle(Poly_Triangulation) net = BRep_Tool::Triangulation(face, location);
    if (net.IsNull()) return;
    const int base = static_cast<int>(points_.size());
    for (int n = 1; n <= net->NbNodes(); ++n) {
      points_.push_back(net->Node(n).Transformed(location.Transformation()));
      parent_.push_back(base + n - 1);
    }
    const bool turned = (face.Orientation() == TopAbs_REVERSED) != location.Transformation().IsNegative();
    for (int t = 1; t <= net->NbTriangles(); ++t) {
      int a = 0, b = 0, c = 0;
      net->Triangle(t).Get(a, b, c);
      if (turned) std::swap(b, c);
      corners_.push_back({base + a - 1, base + b - 1, base + c - 1});
      faceOf_.push_back(number);
    }
    for (TopExp_Explorer it(face, TopAbs_EDGE); it.More(); it.Next()) {
      const TopoDS_Edge edge = TopoDS::Edge(it.Current());
      const Handle(Poly_PolygonOnTriangulation) line = BRep_Tool::PolygonOnTriangulation(edge, net, location);
      if (line.IsNull()) continue;
      std::vector<int> nodes;
      for (int n = 1; n <= line->NbNodes(); ++n) nodes.push_back(base + line->Node(n) - 1);
      stitch(edge, nodes);
    }
  }

  void stitch(const TopoDS_Edge& edge, const std::vector<int>& nodes) {
    if (BRep_Tool::Degenerated(edge)) {
      for (const int node : nodes) join(nodes.front(), node);
      joinEnd(TopExp::FirstVertex(edge), nodes.front());
      return;
    }
    const int key = edges_.Add(edge);  // the same edge in either direction
    if (static_cast<std::size_t>(key) > nodesOf_.size()) {
      nodesOf_.push_back(nodes);
    } else {
      const std::vector<int>& known = nodesOf_[static_cast<std::size_t>(key - 1)];
      if (known.size() == nodes.size())
        for (std::size_t i = 0; i < nodes.size(); ++i) join(known[i], nodes[i]);
    }
    joinEnd(TopExp::FirstVertex(edge), nodes.front());
    joinEnd(TopExp::LastVertex(edge), nodes.back());
  }

  void joinEnd(const TopoDS_Vertex& vertex, int node) {
    if (vertex.IsNull()) return;
    const int key = ends_.Add(vertex);
    if (static_cast<std::size_t>(key) > nodeOf_.size())
      nodeOf_.push_back(node);
    else
      join(nodeOf_[static_cast<std::size_t>(key - 1)], node);
  }

  std::vector<gp_Pnt> points_;
  std::vector<int> parent_;
  std::vector<std::array<int, 3>> corners_;
  std::vector<int> faceOf_;
  // Edges and vertices that are the same whatever their direction.
  struct SameMap {
    TopTools_IndexedMapOfShape map;
    int Add(const TopoDS_Shape& shape) { return map.Add(shape.Oriented(TopAbs_FORWARD)); }
  };
  SameMap edges_;
  SameMap ends_;
  std::vector<std::vector<int>> nodesOf_;
  std::vector<int> nodeOf_;
};

/// Curves of edges in the parameters of plane faces are not kept in the file, and the kernel would derive
/// them anew whenever it asks for one: a third of the time of a plate with hundreds of holes.
void keepCurvesOnPlanes(const TopoDS_Shape& solid) {
  for (TopExp_Explorer face(solid, TopAbs_FACE); face.More(); face.Next())
    for (TopExp_Explorer edge(face.Current(), TopAbs_EDGE); edge.More(); edge.Next())
      BRepLib::BuildPCurveForEdgeOnPlane(TopoDS::Edge(edge.Current()), TopoDS::Face(face.Current()));
}

bool isValid(const TopoDS_Shape& shape) {
  const bool geometryToo = true;
  const bool parallel = true;
  return BRepCheck_Analyzer(shape, geometryToo, parallel).IsValid();
}

/// Integrals over each of some faces, on all cores.
/// @tparam Integral of the kernel: BRepGProp_Sinert over areas, BRepGProp_Vinert over the cones from the
/// point.
template <class Integral>
std::vector<Integral> integralsOver(const std::vector<TopoDS_Face>& faces, const gp_Pnt& about) {
  std::vector<Integral> results(faces.size());
  OSD_Parallel::For(0, static_cast<int>(faces.size()), [&](int f) {
    const auto index = static_cast<std::size_t>(f);
    BRepGProp_Face surface(faces[index]);
    if (faces[index].NbChildren() == 0) {  // a whole surface without edges, such as a sphere
      results[index] = Integral(surface, about);
      return;
    }
    BRepGProp_Domain domain(faces[index]);
    results[index] = Integral(surface, domain, about);
  });
  return results;
}

/// Of a closed body in m3; negative if its faces point inwards.
double volumeOf(const TopoDS_Shape& solid) {
  std::vector<TopoDS_Face> faces;
  for (TopExp_Explorer it(solid, TopAbs_FACE); it.More(); it.Next()) {
    const TopAbs_Orientation side = it.Current().Orientation();
    if (side == TopAbs_FORWARD || side == TopAbs_REVERSED)  // others bound nothing
      faces.push_back(TopoDS::Face(it.Current()));
  }
  // About a point of its own: far from the origin the parts of the faces would cancel.
  const TopExp_Explorer vertex(solid, TopAbs_VERTEX);
  const gp_Pnt about = vertex.More() ? BRep_Tool::Pnt(TopoDS::Vertex(vertex.Current())) : gp_Pnt();
  double volume = 0;
  for (const BRepGProp_Vinert& part : integralsOver<BRepGProp_Vinert>(faces, about)) volume += part.Mass();
  return volume * std::pow(kMetresPerUnit, 3);
}

/// Mends what is read only where it is not valid as it stands: the kernel's own way is to look for every
/// known fault in every shape, which takes a quarter of the time of a plate with hundreds of holes, and to
/// check it is less work. The check is content with a body turned inside out; that is looked for besides.
class MendIfInvalid : public XSAlgo_AlgoContainer {
 public:
  TopoDS_Shape ProcessShape(const TopoDS_Shape& shape, Standard_Real precision, Standard_Real maxTolerance,
                            Standard_CString resource, Standard_CString sequence,
                            Handle(Standard_Transient) & info, const Message_ProgressRange& progress,
                            Standard_Boolean nonManifold) const override {
    if (!shape.IsNull()) {
      keepCurvesOnPlanes(shape);
      const double volume = isValid(shape) ? volumeOf(shape) : -1;
      if (volume >= 0) {
        volumes_[shape.TShape().get()] = volume;
        return shape;
      }
    }
    return XSAlgo_AlgoContainer::ProcessShape(shape, precision, maxTolerance, resource, sequence, info,
                                              progress, nonManifold);
  }

  /// The volume in m3 of a shape that was read as valid, wherever it stands now; nothing of another.
  std::optional<double> volumeIfValid(const TopoDS_Shape& shape) const {
    const auto known = volumes_.find(shape.TShape().get());
    return known == volumes_.end() ? std::nullopt : std::optional(known->second);
  }

 private:
  mutable std::map<const TopoDS_TShape*, double> volumes_;
};

/// @param deviation of the triangles from the faces, m.
/// @param volumeIfValid of the solid in m3 if it is known to be valid.
json solidJson(const TopoDS_Shape& solid, double deviation, std::optional<double> volumeIfValid) {
  if (!volumeIfValid) keepCurvesOnPlanes(solid);
  IMeshTools_Parameters settings;
  settings.Deflection = deviation / kMetresPerUnit;
  settings.Angle = 0.35;
  settings.InParallel = true;
  // The default takes seconds for a plate with hundreds of holes.
  settings.MeshAlgo = IMeshTools_MeshAlgoType_Delabella;
  const BRepMesh_IncrementalMesh mesher(solid, settings);  // leaves the triangles in the faces
  TopTools_IndexedMapOfShape faces;
  TopExp::MapShapes(solid, TopAbs_FACE, faces);
  TopTools_IndexedDataMapOfShapeListOfShape neighbours;
  TopExp::MapShapesAndAncestors(solid, TopAbs_EDGE, TopAbs_FACE, neighbours);
  std::vector<std::set<int>> adjacent(static_cast<std::size_t>(faces.Extent()));
  for (int e = 1; e <= neighbours.Extent(); ++e)
    for (const TopoDS_Shape& a : neighbours(e))
      for (const TopoDS_Shape& b : neighbours(e)) {
        const int ia = faces.FindIndex(a);
        const int ib = faces.FindIndex(b);
        if (ia > 0 && ib > 0 && ia != ib) adjacent[static_cast<std::size_t>(ia - 1)].insert(ib - 1);
      }
  std::vector<TopoDS_Face> list;
  for (int f = 1; f <= faces.Extent(); ++f) list.push_back(TopoDS::Face(faces(f)));
  const std::vector<BRepGProp_Sinert> areas = integralsOver<BRepGProp_Sinert>(list, gp_Pnt());
  json result;
  result["faces"] = json::array();
  for (std::size_t f = 0; f < list.size(); ++f) {
    json entry = surfaceOf(list[f]);
    entry["area"] = areas[f].Mass() * kMetresPerUnit * kMetresPerUnit;
    entry["centre"] = place(areas[f].CentreOfMass());
    entry["adjacent"] = adjacent[f];
    result["faces"].push_back(std::move(entry));
  }
  result["volume"] = volumeIfValid ? *volumeIfValid : volumeOf(solid);
  result["deviation"] = deviation;
  Surface(faces).write(result);
  result["valid"] = volumeIfValid || isValid(solid);
  return result;
}

constexpr std::size_t kMostSolids = 10'000;
constexpr std::size_t kMostLooseFaces = 1'000'000;

/// A text of the file or the kernel, which may be in any code, as far as it is ASCII.
std::string plain(std::string text) {
  for (char& letter : text)
    if (letter < ' ' || letter > '~') letter = '?';
  return text;
}

/// Writes the answer and ends the process as it stands: to take apart what the kernel built would cost a
/// twentieth of its time.
[[noreturn]] void finish(const json& answer, int status) {
  const std::vector<std::uint8_t> bytes = json::to_cbor(answer);
  std::fwrite(bytes.data(), 1, bytes.size(), stdout);
  std::fflush(stdout);
  std::quick_exit(status);
}

[[noreturn]] void fail(const std::string& what) {
  finish({{"error", plain(what)}}, 1);
}

/// How many parts the assemblies of a file stand for. A small file can stand for more than any memory holds,
/// an assembly of twice an assembly of twice ..., and the kernel walks through all of them.
/// @returns infinity if an assembly contains itself.
double partsOfAssemblies(const Interface_InterfaceModel& model) {
  struct Product {
    std::vector<const Standard_Transient*> within;  // assemblies it is a component of, once for each time
    std::size_t open = 0;                           // components that are not counted yet
    double parts = 0;
  };
  std::map<const Standard_Transient*, Product> products;
  for (int i = 1; i <= model.NbEntities(); ++i) {
    const auto use = Handle(StepRepr_NextAssemblyUsageOccurrence)::DownCast(model.Value(i));
    if (use.IsNull() || use->RelatingProductDefinition().IsNull() || use->RelatedProductDefinition().IsNull())
      continue;
    products[use->RelatedProductDefinition().get()].within.push_back(use->RelatingProductDefinition().get());
    ++products[use->RelatingProductDefinition().get()].open;
  }
  std::vector<const Standard_Transient*> ready;
  for (auto& [key, product] : products)
    if (product.open == 0) {
      product.parts = 1;
      ready.push_back(key);
    }
  double most = 0;
  std::size_t counted = 0;
  for (; !ready.empty(); ++counted) {
    const Product& product = products[ready.back()];
    ready.pop_back();
    most = std::max(most, product.parts);
    for (const Standard_Transient* key : product.within) {
      products[key].parts += product.parts;
      if (--products[key].open == 0) ready.push_back(key);
    }
  }
  return counted < products.size() ? std::numeric_limits<double>::infinity() : most;
}

/// The solids of a file, each once for every place it stands in, with the names of their products.
class Solids {
 public:
  explicit Solids(STEPControl_Reader& reader) {
    findProducts(*reader.WS());
    for (int i = 1; i <= reader.NbShapes(); ++i) {
      visit(reader.Shape(i), {});
      for (TopExp_Explorer face(reader.Shape(i), TopAbs_FACE, TopAbs_SOLID); face.More(); face.Next())
        if (++looseFaces > kMostLooseFaces)
          fail("holds more than " + std::to_string(kMostLooseFaces) + " faces of no solid");
    }
  }

  struct Entry {
    TopoDS_Shape shape;
    std::string name;
  };
  std::vector<Entry> entries;
  std::size_t looseFaces = 0;

 private:
  void findProducts(const XSControl_WorkSession& session) {
    const Handle(Interface_InterfaceModel)& model = session.Model();
    const Handle(Transfer_TransientProcess) transfer = session.TransferReader()->TransientProcess();
    for (int i = 1; i <= model->NbEntities(); ++i) {
      const auto definition = Handle(StepBasic_ProductDefinition)::DownCast(model->Value(i));
      if (definition.IsNull() || definition->Formation().IsNull()) continue;
      const TopoDS_Shape shape = TransferBRep::ShapeResult(transfer->Find(definition));
      const Handle(StepBasic_Product) product = definition->Formation()->OfProduct();
      if (shape.IsNull() || product.IsNull()) continue;
      const auto text = [](const Handle(TCollection_HAsciiString) & given) {
        return given.IsNull() ? std::string() : plain(given->ToCString());
      };
      const std::string name = text(product->Name());
      nameOf_[shape.TShape().get()] = name.empty() ? text(product->Id()) : name;
    }
  }

  /// @param name of the product the shape is a part of.
  void visit(const TopoDS_Shape& shape, const std::string& name) {
    const auto own = nameOf_.find(shape.TShape().get());
    const std::string& known = own == nameOf_.end() ? name : own->second;
    if (shape.ShapeType() == TopAbs_SOLID && met_.Add(shape)) {
      entries.push_back({shape, known});
      if (entries.size() > kMostSolids) fail("holds more than " + std::to_string(kMostSolids) + " solids");
    }
    if (shape.ShapeType() < TopAbs_SOLID)  // of bodies
      for (TopoDS_Iterator child(shape); child.More(); child.Next()) visit(child.Value(), known);
  }

  std::map<const TopoDS_TShape*, std::string> nameOf_;
  TopTools_MapOfShape met_;
};

[[noreturn]] void read(const char* file, double deviation) {
  STEPControl_Reader reader;
  const Handle(MendIfInvalid) mend = new MendIfInvalid;
  XSAlgo::SetAlgoContainer(mend);
  Interface_Static::SetCVal("xstep.cascade.unit", "MM");
  if (reader.ReadFile(file) != IFSelect_RetDone) fail("is not a STEP file the CAD kernel can read");
  const double parts = partsOfAssemblies(*reader.WS()->Model());
  if (std::isinf(parts)) fail("holds an assembly that contains itself");
  if (parts > kMostSolids) fail("stands for more than " + std::to_string(kMostSolids) + " solids");
  TColStd_SequenceOfAsciiString lengths, angles, solidAngles;
  reader.FileUnits(lengths, angles, solidAngles);
  if (reader.TransferRoots() == 0) fail("holds nothing the CAD kernel understands");
  const Solids solids(reader);
  json result;
  if (!lengths.IsEmpty()) {
    lengths.ChangeFirst().LowerCase();  // some write INCH
    result["unit"] = plain(lengths.First().ToCString());
  }
  result["solids"] = json::array();
  for (const Solids::Entry& entry : solids.entries) {
    Bnd_Box box;
    BRepBndLib::AddOptimal(entry.shape, box, false, false);
    double net = deviation;
    if (!(net > 0) && !box.IsVoid()) net = 5e-4 * std::sqrt(box.SquareExtent()) * kMetresPerUnit;
    json solid = solidJson(entry.shape, std::max(net, 1e-9), mend->volumeIfValid(entry.shape));
    solid["name"] = entry.name;
    if (!box.IsVoid()) {
      solid["low"] = place(box.CornerMin());
      solid["high"] = place(box.CornerMax());
    }
    result["solids"].push_back(std::move(solid));
  }
  result["loose_faces"] = solids.looseFaces;  // the file may hold surfaces only
  finish(result, 0);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 3) {
    std::fputs("usage: barelattice-cad FILE DEVIATION_IN_METRES (0 for a choice of its own)\n", stderr);
    return 2;
  }
  Message::DefaultMessenger()->ChangePrinters().Clear();  // it would write between our lines
  try {
    read(argv[1], std::atof(argv[2]));
  } catch (const Standard_Failure& failure) {
    fail(std::string("the CAD kernel gave up: ") + failure.GetMessageString());
  } catch (const std::exception& failure) {
    fail(std::string("the CAD kernel gave up: ") + failure.what());
  }
}
