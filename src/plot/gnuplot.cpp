#include "gnuplot.hpp"

#include <fmt/format.h>
#include <sys/wait.h>

#include <algorithm>
#include <csignal>
#include <fstream>
#include <sstream>

#include "williwaw/plot/theme.hpp"
#include "williwaw/store/checked_file.hpp"

namespace williwaw::plot {

namespace {

std::string terminal(const std::string& ending, int width, int height) {
  const std::string type = fmt::format("font '{},13' background '{}' noenhanced", font, ground);
  if (ending == ".png") return fmt::format("pngcairo size {},{} {}", width, height, type);
  if (ending == ".svg") return fmt::format("svg size {},{} {}", width, height, type);
  if (ending == ".pdf")
    return fmt::format("pdfcairo size {}in,{}in font '{},9' background '{}' noenhanced", width / 120.0,
                       height / 120.0, font, ground);
  if (ending == ".gif")
    return fmt::format("gif animate loop 0 size {},{} font '{},13' background '{}' noenhanced", width, height,
                       font, ground);
  throw PlotError("figures are drawn as png, svg or pdf, films as gif or mp4; '" + ending +
                  "' is none of them");
}

}  // namespace

std::string text_in(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  return all.str();
}

bool is_complete(const std::filesystem::path& file, const std::string& ending) {
  const std::string bytes = text_in(file),
                    tail = bytes.substr(bytes.size() - std::min<std::size_t>(bytes.size(), 16));
  const auto holds = [&](const std::string& mark) { return tail.find(mark) != std::string::npos; };
  if (ending == ".png") return holds("IEND");
  if (ending == ".svg") return holds("</svg>");
  if (ending == ".pdf") return holds("%%EOF");
  return !bytes.empty() && bytes.back() == ';';  // gif
}

std::string quoted(const std::string& text) {
  std::string result = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') result += '\\';
    if (c == '\n') continue;
    result += c;
  }
  return result + "\"";
}

Gnuplot::Gnuplot(const Output& output) : file_(output.file), partial_(output.file), errors_(output.file) {
  std::string type = terminal(file_.extension().string(), output.width, output.height);
  if (file_.has_parent_path()) store::make_folder(file_.parent_path());
  partial_ += ".partial";
  errors_ += ".errors";
  // A gnuplot that dies early must not take the program with it.
  std::signal(SIGPIPE, SIG_IGN);
  std::string shell_safe = "'";
  for (const char c : errors_.string()) shell_safe += c == '\'' ? "'\\''" : std::string(1, c);
  pipe_ = popen(("gnuplot 2>" + shell_safe + "'").c_str(), "w");
  if (!pipe_) throw PlotError("gnuplot cannot be started");
  line("set term " + type);
  line("set output " + quoted(partial_.string()));
  line("set encoding utf8");
  line(fmt::format("set border 3 lc rgb '{}' lw 1", faint));
  line(fmt::format("set tics out nomirror scale 0.6 textcolor rgb '{}'", ink));
  line(fmt::format("set grid lc rgb '#e9e7e1' lw 0.7 dt 1"));
  line(fmt::format("set title font ',15' textcolor rgb '{}'", ink));
  line(fmt::format(
      "set xlabel textcolor rgb '{0}'; set ylabel textcolor rgb '{0}'; set cblabel textcolor rgb '{0}'",
      ink));
  line(fmt::format("set key textcolor rgb '{}' spacing 1.25 samplen 2.2", ink));
  line("set lmargin 11; set rmargin 4; set tmargin 3.5; set bmargin 4.5");
}

Gnuplot::~Gnuplot() {
  if (pipe_) pclose(pipe_);
  std::error_code ignored;
  std::filesystem::remove(errors_, ignored);
  std::filesystem::remove(partial_, ignored);
}

void Gnuplot::send(const char* bytes, std::size_t count) {
  if (pipe_ && count > 0) std::fwrite(bytes, 1, count, pipe_);
}

Gnuplot& Gnuplot::line(const std::string& command) {
  send(command.data(), command.size());
  send("\n", 1);
  return *this;
}

Gnuplot& Gnuplot::legend(const std::vector<std::string>& entries) {
  std::size_t longest = 0;
  for (const auto& e : entries) longest = std::max(longest, e.size());
  line("set key outside right top reverse Left width 1");
  return line(fmt::format("set rmargin {}", 11 + longest));
}

Gnuplot& Gnuplot::data(std::span<const Real> values) {
  send(reinterpret_cast<const char*>(values.data()), values.size_bytes());
  return *this;
}

void Gnuplot::begin_frame(const std::filesystem::path& picture) {
  frames_ = true;
  line("set output " + quoted(picture.string()));
}

void Gnuplot::flush() {
  if (pipe_) std::fflush(pipe_);
}

void Gnuplot::finish() {
  line("unset output");
  line("exit");
  const int status = pclose(pipe_);
  pipe_ = nullptr;
  const std::string words = text_in(errors_);
  if (WIFEXITED(status) && WEXITSTATUS(status) == 127)
    throw PlotError("gnuplot is not installed (Debian: gnuplot-nox); figures need it");
  if (status != 0 || (!frames_ && !std::filesystem::exists(partial_)))
    throw PlotError(file_.string() + ": gnuplot failed: " + words);
  if (frames_) return;
  if (!is_complete(partial_, file_.extension().string()))
    throw PlotError(file_.string() + ": was not written completely: is the disk full? " + words);
  store::synchronize(partial_);
  store::replace(partial_, file_);
}

}  // namespace williwaw::plot
