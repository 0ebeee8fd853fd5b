#include "williwaw/store/export.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstring>

#include "williwaw/store/series.hpp"

namespace williwaw::store {

namespace {

using Files = std::vector<std::filesystem::path>;

std::string header(const std::string& name, const std::string& unit) {
  return Column{name, unit}.header();
}

// Coordinates of unknown n, in the units shown.
std::string place_cells(const Grid& g, Index n) {
  const auto at = g.position(n);
  std::string result;
  for (int a = 0; a < g.dimension(); ++a)
    result += fmt::format("{}{:.10g}", a == 0 ? "" : ",", g.axis(a).points()[at[a]]);
  return result;
}

std::string place_header(const FieldReader& fields) {
  const Grid& g = fields.grid();
  std::string result;
  for (int a = 0; a < g.dimension(); ++a)
    result += (a == 0 ? "" : ",") + header(g.axis(a).name(), fields.description().length.unit);
  return result;
}

// A reader for each unknown of a file.
using Readers = std::vector<std::unique_ptr<const FieldReader>>;

Readers readers_of(const FieldReader& fields) {
  Readers result;
  for (const auto& name : fields.unknowns())
    result.push_back(std::make_unique<FieldReader>(fields.file(), name));
  return result;
}

std::string wide_table(const FieldReader& fields, const std::vector<Index>& records) {
  std::string text = place_header(fields);
  std::vector<std::vector<Real>> columns;
  for (const auto& reader : readers_of(fields)) {
    const auto& d = reader->description();
    for (const Index r : records) {
      const std::string time = fmt::format("{:.10g}{}", fields.times()[r], d.time.suffix());
      text += "," + header(d.unknown + (d.steady ? "" : " at t = " + time), d.value.unit);
      columns.push_back(reader->field(r).values());
    }
  }
  text += "\n";
  for (Index n = 0; n < fields.grid().count(); ++n) {
    if (std::isnan(columns[0][n])) continue;
    text += place_cells(fields.grid(), n);
    for (const auto& c : columns) text += fmt::format(",{:.10g}", c[n]);
    text += "\n";
  }
  return text;
}

std::string tall_table(const FieldReader& fields, const std::vector<Index>& records) {
  const Readers readers = readers_of(fields);
  std::string text = header("t", fields.description().time.unit) + "," + place_header(fields);
  for (const auto& reader : readers)
    text += "," + header(reader->description().unknown, reader->description().value.unit);
  text += "\n";
  for (const Index r : records) {
    std::vector<std::vector<Real>> values;
    for (const auto& reader : readers) values.push_back(reader->field(r).values());
    for (Index n = 0; n < fields.grid().count(); ++n) {
      if (std::isnan(values[0][n])) continue;
      text += fmt::format("{:.10g},{}", fields.times()[r], place_cells(fields.grid(), n));
      for (const auto& of_unknown : values) text += fmt::format(",{:.10g}", of_unknown[n]);
      text += "\n";
    }
  }
  return text;
}

std::string base64(const std::vector<unsigned char>& bytes) {
  static const char* const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string result;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t left = bytes.size() - i;
    const unsigned group = (unsigned{bytes[i]} << 16) | (left > 1 ? unsigned{bytes[i + 1]} << 8 : 0u) |
                           (left > 2 ? unsigned{bytes[i + 2]} : 0u);
    result += letters[group >> 18];
    result += letters[(group >> 12) & 63];
    result += left > 1 ? letters[(group >> 6) & 63] : '=';
    result += left > 2 ? letters[group & 63] : '=';
  }
  return result;
}

// A data array of VTK XML: the number of bytes, then the values, encoded together.
template <class Number>
std::string data_array(const std::string& type, const std::string& name, int components,
                       const std::vector<Number>& values) {
  const std::uint64_t size = values.size() * sizeof(Number);
  std::vector<unsigned char> bytes(sizeof size + size);
  std::memcpy(bytes.data(), &size, sizeof size);
  if (size > 0) std::memcpy(bytes.data() + sizeof size, values.data(), size);
  return fmt::format("<DataArray type=\"{}\" Name=\"{}\"{} format=\"binary\">{}</DataArray>\n", type, name,
                     components == 1 ? "" : fmt::format(" NumberOfComponents=\"{}\"", components),
                     base64(bytes));
}

// Corners of the boxes between neighbouring bounds, and which of those boxes are drawn.
struct Mesh {
  std::vector<double> points;
  std::vector<std::int64_t> connectivity, offsets;
  std::vector<std::uint8_t> types;
  std::vector<double> cell_values, point_values;
};

Mesh mesh_of(const Field& field) {
  const Grid& g = field.grid();
  const bool cells = g.unknowns() == Unknowns::cells;
  std::array<Index, 3> boxes{1, 1, 1}, corners{1, 1, 1};
  for (int a = 0; a < g.dimension(); ++a) {
    boxes[a] = g.axis(a).intervals();
    corners[a] = boxes[a] + 1;
  }
  Mesh mesh;
  const auto value = [&](Index i, Index j, Index k) {
    return field.at(i % g.size(0), j % g.size(1), k % g.size(2));
  };
  for (Index k = 0; k < corners[2]; ++k)
    for (Index j = 0; j < corners[1]; ++j)
      for (Index i = 0; i < corners[0]; ++i) {
        const std::array<Index, 3> at{i, j, k};
        std::array<double, 3> p{0, 0, 0};
        for (int a = 0; a < g.dimension(); ++a) p[g.direction(a)] = g.axis(a).faces()[at[a]];
        mesh.points.insert(mesh.points.end(), p.begin(), p.end());
        if (!cells) mesh.point_values.push_back(value(i, j, k));
      }
  const auto corner = [&](Index i, Index j, Index k) { return i + corners[0] * (j + corners[1] * k); };
  // Lines, quadrilaterals, hexahedra, with their corners in VTK's order.
  static const std::array<std::uint8_t, 3> types{3, 9, 12};
  static const std::array<std::array<Index, 3>, 8> order{
      {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}}};
  const std::size_t count = std::size_t{1} << g.dimension();
  for (Index k = 0; k < boxes[2]; ++k)
    for (Index j = 0; j < boxes[1]; ++j)
      for (Index i = 0; i < boxes[0]; ++i) {
        std::vector<std::int64_t> own;
        bool there = !cells || !std::isnan(value(i, j, k));
        for (std::size_t c = 0; c < count; ++c) {
          own.push_back(corner(i + order[c][0], j + order[c][1], k + order[c][2]));
          there = there && (cells || !std::isnan(mesh.point_values[static_cast<std::size_t>(own.back())]));
        }
        if (!there) continue;
        mesh.connectivity.insert(mesh.connectivity.end(), own.begin(), own.end());
        mesh.offsets.push_back(static_cast<std::int64_t>(mesh.connectivity.size()));
        mesh.types.push_back(types[static_cast<std::size_t>(g.dimension()) - 1]);
        if (cells) mesh.cell_values.push_back(value(i, j, k));
      }
  return mesh;
}

// Of all unknowns, on the mesh of the first.
std::string vtu_text(const Readers& readers, Index record) {
  const Mesh m = mesh_of(readers.front()->field(record));
  const bool cells = readers.front()->grid().unknowns() == Unknowns::cells;
  std::string text =
      "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" "
      "byte_order=\"LittleEndian\" "
      "header_type=\"UInt64\">\n<UnstructuredGrid>\n";
  text += fmt::format("<Piece NumberOfPoints=\"{}\" NumberOfCells=\"{}\">\n", m.points.size() / 3,
                      m.types.size());
  text += "<Points>\n" + data_array("Float64", "Points", 3, m.points) + "</Points>\n<Cells>\n";
  text += data_array("Int64", "connectivity", 1, m.connectivity) +
          data_array("Int64", "offsets", 1, m.offsets) + data_array("UInt8", "types", 1, m.types) +
          "</Cells>\n";
  const std::string kind = cells ? "CellData" : "PointData";
  text += "<" + kind + " Scalars=\"" + readers.front()->description().unknown + "\">\n";
  for (const auto& reader : readers) {
    const Mesh own = reader == readers.front() ? m : mesh_of(reader->field(record));
    text +=
        data_array("Float64", reader->description().unknown, 1, cells ? own.cell_values : own.point_values);
  }
  text += "</" + kind + ">\n";
  return text + "</Piece>\n</UnstructuredGrid>\n</VTKFile>\n";
}

// NumPy's format 1.0: a magic string, the length of a header that ends on a multiple of 64, the header, data.
void write_npy(const std::filesystem::path& file, const std::vector<std::size_t>& shape,
               const std::vector<Real>& values) {
  std::string dimensions;
  for (const std::size_t n : shape) dimensions += std::to_string(n) + ",";
  std::string about = "{'descr': '<f8', 'fortran_order': False, 'shape': (" + dimensions + "), }";
  while ((10 + about.size() + 1) % 64 != 0) about += ' ';
  about += '\n';
  std::string bytes("\x93NUMPY\x01\x00", 8);
  bytes += static_cast<char>(about.size() & 255);
  bytes += static_cast<char>(about.size() >> 8);
  bytes += about;
  const std::size_t start = bytes.size();
  bytes.resize(start + values.size() * sizeof(Real));
  if (!values.empty()) std::memcpy(bytes.data() + start, values.data(), values.size() * sizeof(Real));
  write_file(file, bytes);
}

}  // namespace

Files export_csv(const FieldReader& fields, const std::vector<Index>& records, TableLayout layout,
                 const std::filesystem::path& folder) {
  make_folder(folder);
  const auto file = folder / "fields.csv";
  write_file(file, layout == TableLayout::wide ? wide_table(fields, records) : tall_table(fields, records));
  return {file};
}

Files export_vtk(const FieldReader& fields, const std::vector<Index>& records,
                 const std::filesystem::path& folder) {
  make_folder(folder);
  const Readers readers = readers_of(fields);
  const std::string& name = fields.unknowns().front();
  Files files;
  std::string collection =
      "<?xml version=\"1.0\"?>\n<VTKFile type=\"Collection\" version=\"1.0\">\n<Collection>\n";
  for (std::size_t n = 0; n < records.size(); ++n) {
    files.push_back(folder / fmt::format("{}-{:04}.vtu", name, n));
    write_file(files.back(), vtu_text(readers, records[n]));
    collection += fmt::format("<DataSet timestep=\"{:.10g}\" file=\"{}\"/>\n", fields.times()[records[n]],
                              files.back().filename().string());
  }
  files.push_back(folder / (name + ".pvd"));
  write_file(files.back(), collection + "</Collection>\n</VTKFile>\n");
  return files;
}

Files export_npy(const FieldReader& fields, const std::vector<Index>& records,
                 const std::filesystem::path& folder) {
  make_folder(folder);
  const Grid& g = fields.grid();
  std::vector<std::size_t> shape{records.size()};
  for (int a = g.dimension() - 1; a >= 0; --a) shape.push_back(static_cast<std::size_t>(g.size(a)));
  Files files;
  for (const auto& reader : readers_of(fields)) {
    std::vector<Real> all;
    for (const Index r : records) {
      const auto values = reader->field(r).values();
      all.insert(all.end(), values.begin(), values.end());
    }
    files.push_back(folder / (reader->description().unknown + ".npy"));
    write_npy(files.back(), shape, all);
  }
  std::vector<Real> times;
  for (const Index r : records) times.push_back(fields.times()[r]);
  files.push_back(folder / "t.npy");
  write_npy(files.back(), {times.size()}, times);
  for (int a = 0; a < g.dimension(); ++a) {
    files.push_back(folder / (g.axis(a).name() + ".npy"));
    write_npy(files.back(), {static_cast<std::size_t>(g.size(a))},
              {g.axis(a).points().begin(), g.axis(a).points().end()});
  }
  return files;
}

}  // namespace williwaw::store
