#include "williwaw/store/field_journal.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw::store {

namespace {

// How a row is laid out: time, stage, the ranges of its unknowns; then the values of each field and of each
// component of the velocity, x fastest; then, field by field, what it is on each kept boundary that the
// unknowns lie at.
struct Row {
  static constexpr std::size_t head = 8;

  Row(const RecordShape& all, const OwnRanges& ranges) : shape(all), own(ranges) {
    for (const Side side : kept_boundaries(shape.grid))
      if (side.upper ? own[side.axis].end == shape.grid.size(side.axis) : own[side.axis].first == 0)
        sides.push_back(side);
  }
  static OwnRanges ranges_of(const Real* row) {
    OwnRanges own;
    for (std::size_t a = 0; a < 3; ++a)
      own[a] = {static_cast<Index>(row[2 + 2 * a]), static_cast<Index>(row[3 + 2 * a])};
    return own;
  }

  Index count(std::size_t axis) const { return own[axis].count(); }
  std::size_t volume() const { return static_cast<std::size_t>(count(0) * count(1) * count(2)); }
  std::size_t area(Side side) const { return volume() / static_cast<std::size_t>(count(side.axis)); }
  std::size_t quantities() const {
    return shape.fields + (shape.velocity ? static_cast<std::size_t>(shape.grid.dimension()) : 0);
  }
  std::size_t start_of(std::size_t quantity) const { return head + quantity * volume(); }
  /// Nothing where the unknowns do not lie at the side.
  std::optional<std::size_t> start_on(std::size_t field, Side wanted) const {
    std::size_t at = 0, of_field = 0;
    bool found = false;
    for (const Side side : sides) {
      found = found || side == wanted;
      if (!found) at += area(side);
      of_field += area(side);
    }
    if (!found) return std::nullopt;
    return start_of(quantities()) + field * of_field + at;
  }
  std::size_t length() const {
    std::size_t of_field = 0;
    for (const Side side : sides) of_field += area(side);
    return start_of(quantities()) + shape.fields * of_field;
  }

  const RecordShape& shape;
  OwnRanges own;
  std::vector<Side> sides;
};

// The other axes of a side: of its values the first one runs fastest.
std::array<std::size_t, 2> along(Side side) {
  return {side.axis == 0 ? 1u : 0u, side.axis == 2 ? 1u : 2u};
}

// What ranks have written of one set, part by part.
struct Part {
  Part(const RecordShape& shape, const std::filesystem::path& file, const OwnRanges& own, std::size_t rows)
      : row(shape, own), reader(file, row.length(), rows) {}
  Row row;
  JournalReader reader;
};

// The unknowns of a file's rows; nothing where not even the first one has a beginning that makes sense.
std::optional<OwnRanges> ranges_in(const std::filesystem::path& file, const Grid& grid) {
  const std::vector<Real> beginning = JournalReader::beginning(file, Row::head);
  if (beginning.size() < Row::head) return std::nullopt;
  for (std::size_t a = 0; a < 3; ++a) {
    const Real first = beginning[2 + 2 * a], end = beginning[3 + 2 * a];
    if (!(first >= 0 && first < end && end <= static_cast<Real>(grid.size(static_cast<int>(a)))))
      return std::nullopt;
  }
  return Row::ranges_of(beginning.data());
}

OwnRanges ranges_needed(const std::filesystem::path& file, const Grid& grid) {
  const auto own = ranges_in(file, grid);
  if (!own) throw StoreError(file.string() + ": is damaged at its beginning, or belongs to another grid");
  return *own;
}

// A record of which several files have a part each.
class PartedRecord : public RecordSource {
 public:
  PartedRecord(std::vector<Part>& parts, std::size_t row) : RecordSource(0, 0), parts_(&parts), row_(row) {
    std::array<Real, 2> head{};
    for (Part& part : parts) {
      part.reader.prove(row);
      part.reader.read(row, 0, head);
    }
    time = head[0];
    stage = static_cast<int>(head[1]);
  }

  void read(std::size_t quantity, Index line, std::span<Real> values) override {
    const Grid& grid = parts_->front().row.shape.grid;
    const Index size = grid.size(0), plane = line / grid.size(1), first = line % grid.size(1),
                end = first + static_cast<Index>(values.size()) / size;
    for (Part& part : *parts_) {
      const auto& [columns, rows, planes] = part.row.own;
      const Index from = std::max(first, rows.first), to = std::min(end, rows.end);
      if (plane < planes.first || plane >= planes.end || from >= to) continue;
      const Index lines_before = (from - rows.first) + rows.count() * (plane - planes.first);
      const std::size_t start =
          part.row.start_of(quantity) + static_cast<std::size_t>(columns.count() * lines_before);
      const auto count = static_cast<std::size_t>(columns.count() * (to - from));
      Real* const there = values.data() + size * (from - first);
      if (columns.count() == size) {
        part.reader.read(row_, start, {there, count});
        continue;
      }
      piece_.resize(count);
      part.reader.read(row_, start, piece_);
      for (Index j = 0; j < to - from; ++j)
        std::copy_n(piece_.data() + j * columns.count(), columns.count(), there + j * size + columns.first);
    }
  }

  std::vector<Real> on_boundary(std::size_t unknown, Side side) override {
    const Grid& grid = parts_->front().row.shape.grid;
    const auto [fast, slow] = along(side);
    const auto size = [&](std::size_t a) { return grid.size(static_cast<int>(a)); };
    std::vector<Real> values(static_cast<std::size_t>(size(fast) * size(slow)));
    for (Part& part : *parts_) {
      const auto start = part.row.start_on(unknown, side);
      if (!start) continue;
      piece_.resize(part.row.area(side));
      part.reader.read(row_, *start, piece_);
      const RowRange &f = part.row.own[fast], &s = part.row.own[slow];
      for (Index k = s.first; k < s.end; ++k)
        std::copy_n(piece_.data() + f.count() * (k - s.first), f.count(),
                    values.data() + f.first + size(fast) * k);
    }
    return values;
  }

 private:
  std::vector<Part>* parts_;
  std::size_t row_;
  std::vector<Real> piece_;
};

}  // namespace

std::size_t numbers_of_record(const RecordShape& shape) {
  return Row(shape, own_ranges(shape.grid)).length();
}

OwnRanges own_ranges(const Grid& part) {
  OwnRanges own;
  for (int a = 0; a < part.dimension(); ++a) {
    const Axis& axis = part.axis(a);
    if (axis.is_part()) {
      own[static_cast<std::size_t>(a)].first = axis.there(axis.own_first());
      own[static_cast<std::size_t>(a)].end = axis.there(axis.own_end() - 1) + 1;
    } else {
      own[static_cast<std::size_t>(a)] = {0, axis.size()};
    }
  }
  return own;
}

std::filesystem::path FieldJournals::file(std::size_t set, int rank) const {
  return folder_ / ("fields" + (set > 0 ? ".set" + std::to_string(set) : "") +
                    (rank > 0 ? ".rank" + std::to_string(rank) : "") + ".journal");
}

std::vector<std::filesystem::path> FieldJournals::of_set(std::size_t set) const {
  std::vector<std::filesystem::path> files;
  for (int rank = 0; std::filesystem::exists(file(set, rank)); ++rank) files.push_back(file(set, rank));
  return files;
}

void FieldJournals::cut_back(const RecordShape& shape, const std::vector<std::size_t>& rows) const {
  remove_sets(rows.size());
  for (std::size_t set = 0; set < rows.size(); ++set)
    for (const auto& file : of_set(set))
      FieldJournal(file, shape, ranges_needed(file, shape.grid), rows[set]);
}

std::vector<std::size_t> FieldJournals::whole_rows(const RecordShape& shape) const {
  std::vector<std::size_t> result;
  for (std::size_t set = 0;; ++set) {
    std::optional<std::size_t> fewest;
    for (const auto& file : of_set(set)) {
      const auto own = ranges_in(file, shape.grid);
      const std::size_t rows = own ? Journal::whole_rows(file, Row(shape, *own).length()) : 0;
      fewest = std::min(fewest.value_or(rows), rows);
    }
    if (!fewest) return result;
    result.push_back(*fewest);
  }
}

void FieldJournals::remove_sets(std::size_t first) const {
  for (std::size_t set = first;; ++set) {
    const auto files = of_set(set);
    if (files.empty()) return;
    // The last one first: what is left when this ends halfway is found again.
    for (auto file = files.rbegin(); file != files.rend(); ++file) remove_file(*file);
  }
}

void FieldJournals::each(const RecordShape& shape, const std::vector<std::size_t>& rows,
                         const std::function<void(RecordSource&)>& visit) const {
  for (std::size_t set = 0; set < rows.size(); ++set) {
    if (rows[set] == 0) continue;
    std::vector<Part> parts;
    std::size_t unknowns = 0;
    for (const auto& file : of_set(set)) {
      parts.emplace_back(shape, file, ranges_needed(file, shape.grid), rows[set]);
      unknowns += parts.back().row.volume();
    }
    if (unknowns != static_cast<std::size_t>(shape.grid.count()))
      throw StoreError(file(set, 0).string() + ": it and those of the other ranks have " +
                       std::to_string(unknowns) + " of the grid's " + std::to_string(shape.grid.count()) +
                       " unknowns");
    for (std::size_t row = 0; row < rows[set]; ++row) {
      PartedRecord record(parts, row);
      visit(record);
    }
  }
}

FieldJournal::FieldJournal(const std::filesystem::path& file, const RecordShape& shape, const OwnRanges& own,
                           std::size_t rows)
    : shape_(shape), own_(own), rows_(file, Row(shape_, own).length(), rows) {}

bool FieldJournal::is_of(const std::filesystem::path& file, const OwnRanges& own) {
  const std::vector<Real> beginning = JournalReader::beginning(file, Row::head);
  return beginning.size() == Row::head && Row::ranges_of(beginning.data()) == own;
}

void FieldJournal::append(Real time, int stage, std::span<const Field> fields,
                          std::span<const Real> velocity) {
  const Row row(shape_, own_);
  std::vector<Real> head{time, static_cast<Real>(stage)};
  for (const RowRange& range : own_)
    head.insert(head.end(), {static_cast<Real>(range.first), static_cast<Real>(range.end)});
  std::vector<std::vector<Real>> quantities;
  const Grid& g = fields.front().grid();
  // Its own unknowns, by their number on the part.
  const auto each_own = [&](const auto& visit) {
    std::array<RowRange, 3> here;
    for (int a = 0; a < g.dimension(); ++a) {
      const Axis& axis = g.axis(a);
      here[static_cast<std::size_t>(a)] =
          axis.is_part() ? RowRange{axis.own_first(), axis.own_end()} : RowRange{0, axis.size()};
    }
    for (Index k = here[2].first; k < here[2].end; ++k)
      for (Index j = here[1].first; j < here[1].end; ++j)
        for (Index i = here[0].first; i < here[0].end; ++i) visit(i, j, k);
  };
  for (const Field& field : fields) {
    quantities.emplace_back().reserve(row.volume());
    each_own([&](Index i, Index j, Index k) { quantities.back().push_back(field.at(i, j, k)); });
  }
  for (int c = 0; shape_.velocity && c < g.dimension(); ++c) {
    quantities.emplace_back().reserve(row.volume());
    each_own([&](Index i, Index j, Index k) {
      const Index n = g.number(i, j, k);
      quantities.back().push_back(
          fields.front().is_left_out(n) ? NAN : velocity[static_cast<std::size_t>(c * g.count() + n)]);
    });
  }
  for (const Field& field : fields)
    for (const Side side : row.sides) {
      quantities.emplace_back();
      each_own([&](Index i, Index j, Index k) {
        const std::array<Index, 3> at{i, j, k};
        if (at[static_cast<std::size_t>(side.axis)] == (side.upper ? g.size(side.axis) - 1 : 0))
          quantities.back().push_back(field.on_boundary(at, side));
      });
    }
  std::vector<std::span<const Real>> pieces{head};
  for (const std::vector<Real>& quantity : quantities) pieces.emplace_back(quantity);
  rows_.append_pieces(pieces);
}

}  // namespace williwaw::store
