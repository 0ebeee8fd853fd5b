// A film drawn by several gnuplot processes at once, each of which draws frames that follow each other.
#pragma once

#include "gnuplot.hpp"

namespace williwaw::plot {

/// Its frames are shown for `seconds` in all, each as long as the others as far as the format knows such
/// times. The ending of the file tells the format: gif, or mp4, which ffmpeg makes of single pictures.
class FilmParts {
 public:
  /// The film is the same for any number of parts. Throws PlotError for another ending, and for mp4 where
  /// there is no ffmpeg.
  FilmParts(const Output& output, std::size_t frames, Real seconds, std::size_t most_parts = 4);
  ~FilmParts();
  FilmParts(const FilmParts&) = delete;
  FilmParts& operator=(const FilmParts&) = delete;

  /// Calls draw(plot, frame) for every frame, one of each part in turn: while one process draws the next one
  /// reads.
  void each(const std::function<void(Gnuplot&, std::size_t)>& draw);
  /// Ends the drawing; the film appears under its name only now. Throws PlotError with gnuplot's words or
  /// those of ffmpeg, or for a file that cannot be written.
  void finish();

 private:
  std::filesystem::path picture(std::size_t frame) const;
  void join();
  void encode();

  std::filesystem::path file_;
  std::size_t frames_;
  Real seconds_;
  std::filesystem::path pictures_;  ///< folder of single pictures; empty for gif
  std::vector<std::filesystem::path> files_;
  std::vector<std::unique_ptr<Gnuplot>> parts_;
};

}  // namespace williwaw::plot
