#include "terms/advection/velocity_of_whole.hpp"

#include <algorithm>

namespace williwaw {

namespace {

// Number of the face below row `here` of an axis, or above the last one, along the whole axis. Beside the row
// that stands for all that is left out the face belongs to the other one.
Index face_there(const Axis& axis, Index here) {
  return here == 0 ? axis.there(0) : axis.there(here - 1) + 1;
}

}  // namespace

FaceVelocities::OfWhole::Everything::Everything(const Problem& part, int threads)
    : problem(part.on(part.grid().whole())) {
  Outline outline(problem.grid(), problem.regions());
  sections = boundary_sections(problem, outline);
  Execution alone;
  alone.threads = threads;
  domain = std::make_unique<Domain>(problem.grid(), std::move(outline), alone);
  Sections all;
  for (const BoundarySection& section : sections) all.push_back(&section);
  velocities.reset(new FaceVelocities(problem, *domain, std::move(all)));
}

FaceVelocities::OfWhole::OfWhole(const FaceVelocities& part, const Domain& domain) {
  Communicator& ranks = part.box_->communicator();
  if (ranks.rank() == 0) everything_ = std::make_unique<Everything>(part.problem_, domain.threads());
  // The unknowns at each section of the whole boundary.
  std::vector<std::vector<Real>> unknowns(part.sections_.size());
  for (std::size_t s = 0; s < unknowns.size(); ++s) {
    std::vector<Real> own;
    if (everything_)
      for (const BoundaryFace& face : everything_->sections[s].faces)
        own.push_back(static_cast<Real>(face.unknown));
    unknowns[s] = ranks.gathered(own);
  }
  const std::vector<Index> wanted = wanted_by(part, unknowns);
  count_ = wanted.size();
  const Real own_count = static_cast<Real>(count_);
  const std::vector<Real> counts = ranks.gathered_at_first({&own_count, 1});
  const std::vector<Real> numbers(wanted.begin(), wanted.end());
  const std::vector<Real> all = ranks.gathered_at_first(numbers);
  if (!everything_) return;
  auto next = all.begin();
  for (const Real count : counts) {
    const auto end = next + static_cast<std::ptrdiff_t>(count);
    everything_->wanted.emplace_back(next, end);
    next = end;
  }
}

// Of the velocities on all faces axis by axis, then what comes in section by section: what a part has, in the
// same order.
std::vector<Index> FaceVelocities::OfWhole::wanted_by(const FaceVelocities& part,
                                                      const std::vector<std::vector<Real>>& unknowns) const {
  const Grid& here = part.problem_.grid();
  const Grid there = here.whole();
  std::vector<Index> wanted;
  Index before = 0;
  for (int a = 0; a < here.dimension(); ++a) {
    std::array<Index, 3> size{}, whole{};
    for (int b = 0; b < 3; ++b) {
      size[b] = here.size(b) + (a == b ? 1 : 0);
      whole[b] = there.size(b) + (a == b ? 1 : 0);
    }
    const auto place = [&](int b, Index i) {
      return b >= here.dimension() ? 0 : a == b ? face_there(here.axis(b), i) : here.axis(b).there(i);
    };
    for (Index k = 0; k < size[2]; ++k)
      for (Index j = 0; j < size[1]; ++j)
        for (Index i = 0; i < size[0]; ++i)
          wanted.push_back(before + place(0, i) + whole[0] * (place(1, j) + whole[1] * place(2, k)));
    before += whole[0] * whole[1] * whole[2];
  }
  for (std::size_t s = 0; s < unknowns.size(); ++s) {
    const std::vector<Real>& all = unknowns[s];
    // An unknown may have several faces, which stand side by side.
    Index last = -1, of_same = 0;
    for (const BoundaryFace& face : part.sections_[s]->faces) {
      of_same = face.unknown == last ? of_same + 1 : 0;
      last = face.unknown;
      const auto unknown = static_cast<Real>(part.box_->there(face.unknown));
      const Index first = std::ranges::lower_bound(all, unknown) - all.begin(), at = first + of_same;
      const bool known = at < static_cast<Index>(all.size()) && all[static_cast<std::size_t>(at)] == unknown;
      // Beyond what own unknowns hear of a halo may have faces that the whole grid has not.
      expect(known || !part.box_->owns(face.unknown), "OfWhole: a face of the whole boundary");
      wanted.push_back(known ? before + at : -1);
    }
    before += static_cast<Index>(all.size());
  }
  return wanted;
}

void FaceVelocities::OfWhole::take(FaceVelocities& part, Real at, Sample& out) {
  Communicator& ranks = part.box_->communicator();
  std::vector<Real> told(count_);
  std::array<Real, 3> changed{};
  if (everything_) {
    Sample sample;
    everything_->velocities->evaluate(at, sample);
    std::vector<Real> all;
    for (const std::vector<Real>& faces : sample.faces) all.insert(all.end(), faces.begin(), faces.end());
    for (const std::vector<Real>& inward : sample.inward) all.insert(all.end(), inward.begin(), inward.end());
    const auto of_rank = [&](std::size_t rank) {
      std::vector<Real> values;
      for (const Index n : everything_->wanted[rank])
        values.push_back(n < 0 ? 0 : all[static_cast<std::size_t>(n)]);
      return values;
    };
    told = of_rank(0);
    std::vector<std::vector<Real>> others(static_cast<std::size_t>(ranks.size()));
    std::vector<Communicator::Message> messages;
    for (int rank = 1; rank < ranks.size(); ++rank) {
      others[static_cast<std::size_t>(rank)] = of_rank(static_cast<std::size_t>(rank));
      messages.push_back({rank, others[static_cast<std::size_t>(rank)], {}});
    }
    ranks.exchange(messages);
    const VelocityCorrection& correction = everything_->velocities->correction();
    changed = {correction.largest, correction.fraction, correction.divergence_before};
  } else {
    const Communicator::Message message{0, {}, told};
    ranks.exchange({&message, 1});
  }
  ranks.highest(changed);
  part.correction_ = {changed[0], changed[1], changed[2]};
  auto next = told.begin();
  const auto take_in = [&next](std::vector<Real>& values) {
    const auto end = next + static_cast<std::ptrdiff_t>(values.size());
    std::copy(next, end, values.begin());
    next = end;
  };
  for (std::vector<Real>& faces : out.faces) take_in(faces);
  for (std::vector<Real>& inward : out.inward) take_in(inward);
  part.join_seams(out);
}

}  // namespace williwaw
