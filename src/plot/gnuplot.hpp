// A gnuplot process behind a pipe: text commands, binary data.
#pragma once

#include <cstdio>

#include "williwaw/plot/figure.hpp"

namespace williwaw::plot {

class Gnuplot {
 public:
  /// Starts gnuplot with the theme set for this output.
  explicit Gnuplot(const Output& output);
  Gnuplot(const Gnuplot&) = delete;
  Gnuplot& operator=(const Gnuplot&) = delete;
  ~Gnuplot();

  Gnuplot& line(const std::string& command);
  /// A legend beside the plot, with a margin wide enough for these entries.
  Gnuplot& legend(const std::vector<std::string>& entries);
  /// Numbers for a plot command that reads '-' in binary, in the order in which they are sent.
  Gnuplot& data(std::span<const Real> values);
  /// What is drawn from here on goes into a picture of its own, and `finish` makes sure of nothing but the
  /// drawing.
  void begin_frame(const std::filesystem::path& picture);
  /// Sends what is waiting to be sent, so that gnuplot has all of a frame.
  void flush();
  /// Ends the drawing; the file appears under its name only now. Throws PlotError with gnuplot's words.
  void finish();

 private:
  void send(const char* bytes, std::size_t count);

  std::filesystem::path file_, partial_, errors_;
  bool frames_ = false;  ///< drawn into pictures of their own
  std::FILE* pipe_ = nullptr;
};

/// All of a file; nothing where it cannot be read.
std::string text_in(const std::filesystem::path& file);

/// Whether a picture ends as those of its format do: gnuplot does not look at what becomes of its output.
bool is_complete(const std::filesystem::path& picture, const std::string& ending);

/// A text as gnuplot takes it, in quotation marks.
std::string quoted(const std::string& text);

}  // namespace williwaw::plot
