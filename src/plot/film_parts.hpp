// A film drawn by several gnuplot processes at once, each of which draws frames that follow each other.
#pragma once

#include "gnuplot.hpp"

namespace williwaw::plot {

class FilmParts {
 public:
  /// `hundredths` of a second from one frame to the next. The film is the same for any number of parts.
  FilmParts(const Output& output, std::size_t frames, Index hundredths, std::size_t most_parts = 4);
  ~FilmParts();
  FilmParts(const FilmParts&) = delete;
  FilmParts& operator=(const FilmParts&) = delete;

  /// Calls draw(plot, frame) for every frame, one of each part in turn: while one process draws the next one
  /// reads.
  void each(const std::function<void(Gnuplot&, std::size_t)>& draw);
  /// Ends the drawing; the film appears under its name only now. Throws PlotError with gnuplot's words, or
  /// for a file that cannot be written.
  void finish();

 private:
  std::filesystem::path file_;
  std::size_t frames_;
  std::vector<std::filesystem::path> files_;
  std::vector<std::unique_ptr<Gnuplot>> parts_;
};

}  // namespace williwaw::plot
