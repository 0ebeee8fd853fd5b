#include "plot/film_parts.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <gif_lib.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::plot {

namespace {

struct CloseRead {
  void operator()(GifFileType* gif) const { DGifCloseFile(gif, nullptr); }
};
struct CloseWritten {
  void operator()(GifFileType* gif) const { EGifCloseFile(gif, nullptr); }
};
using Read = std::unique_ptr<GifFileType, CloseRead>;
using Written = std::unique_ptr<GifFileType, CloseWritten>;

// Frames one after the other as they are compressed already: nothing is decoded.
class Joined {
 public:
  // `shown` has for each frame how many hundredths of a second it is shown.
  Joined(std::filesystem::path name, store::CheckedFile& file, std::vector<Index> shown)
      : name_(std::move(name)), file_(file), shown_(std::move(shown)) {}

  void append(const std::filesystem::path& part) {
    int error = 0;
    const Read in(DGifOpenFileName(part.c_str(), &error));
    if (!in) fail(part, error);
    if (!out_) open(*in);
    for (;;) {
      GifRecordType type{};
      check(part, DGifGetRecordType(in.get(), &type), *in);
      if (type == TERMINATE_RECORD_TYPE) return;
      if (type == EXTENSION_RECORD_TYPE) copy_extension(part, *in);
      if (type == IMAGE_DESC_RECORD_TYPE) copy_frame(part, *in);
    }
  }

  void close() {
    int error = 0;
    const int status = out_ ? EGifCloseFile(out_.release(), &error) : GIF_OK;
    if (failure_) std::rethrow_exception(failure_);
    if (status != GIF_OK) fail(name_, error);
  }

 private:
  [[noreturn]] static void fail(const std::filesystem::path& file, int error) {
    const char* words = GifErrorString(error);
    throw PlotError(file.string() + ": " + (words ? words : "no film"));
  }
  void check(const std::filesystem::path& file, int status, const GifFileType& gif) const {
    if (status != GIF_OK) fail(file, gif.Error);
  }

  // What the file says of itself must not pass through a C library.
  static int write(GifFileType* gif, const GifByteType* bytes, int count) {
    auto& self = *static_cast<Joined*>(gif->UserData);
    try {
      if (!self.failure_) self.file_.write(bytes, static_cast<std::size_t>(count));
    } catch (...) {
      self.failure_ = std::current_exception();
    }
    return self.failure_ ? 0 : count;
  }

  void put(int status) {
    if (failure_) std::rethrow_exception(failure_);
    if (status != GIF_OK) fail(name_, out_->Error);
  }

  void open(const GifFileType& first) {
    int error = 0;
    out_.reset(EGifOpen(this, write, &error));
    if (!out_) fail(name_, error);
    EGifSetGifVersion(out_.get(), true);
    put(EGifPutScreenDesc(out_.get(), first.SWidth, first.SHeight, first.SColorResolution,
                          first.SBackGroundColor, first.SColorMap));
  }

  // The loop of the whole film stands before its first frame, how long a frame is shown before each.
  void copy_extension(const std::filesystem::path& part, GifFileType& in) {
    int code = 0;
    GifByteType* bytes = nullptr;
    check(part, DGifGetExtension(&in, &code, &bytes), in);
    const bool keep = code == GRAPHICS_EXT_FUNC_CODE || frames_ == 0;
    if (keep) put(EGifPutExtensionLeader(out_.get(), code));
    while (bytes) {
      // Behind the length of the block and its flags the time, its lower byte first.
      if (code == GRAPHICS_EXT_FUNC_CODE && bytes[0] >= 4) {
        const Index time = shown_[std::min(static_cast<std::size_t>(frames_), shown_.size() - 1)];
        bytes[2] = static_cast<GifByteType>(time % 256);
        bytes[3] = static_cast<GifByteType>(time / 256);
      }
      if (keep) put(EGifPutExtensionBlock(out_.get(), bytes[0], bytes + 1));
      check(part, DGifGetExtensionNext(&in, &bytes), in);
    }
    if (keep) put(EGifPutExtensionTrailer(out_.get()));
  }

  void copy_frame(const std::filesystem::path& part, GifFileType& in) {
    check(part, DGifGetImageDesc(&in), in);
    const GifImageDesc& frame = in.Image;
    // Frames without colours of their own have those of their part.
    const ColorMapObject* colours = frame.ColorMap ? frame.ColorMap : in.SColorMap;
    put(EGifPutImageDesc(out_.get(), frame.Left, frame.Top, frame.Width, frame.Height, frame.Interlace,
                         colours));
    int size = 0;
    GifByteType* block = nullptr;
    check(part, DGifGetCode(&in, &size, &block), in);
    put(EGifPutCode(out_.get(), size, block));
    while (block) {
      check(part, DGifGetCodeNext(&in, &block), in);
      put(EGifPutCodeNext(out_.get(), block));
    }
    ++frames_;
  }

  std::filesystem::path name_;
  store::CheckedFile& file_;
  std::vector<Index> shown_;
  std::exception_ptr failure_;
  Written out_;
  int frames_ = 0;
};

// Hundredths of a second for each frame, so that all of them together are shown as long as they should be.
std::vector<Index> shown_for(std::size_t frames, Real seconds) {
  std::vector<Index> result;
  const auto until = [&](std::size_t n) {
    return std::lround(100 * seconds * static_cast<Real>(n) / static_cast<Real>(frames));
  };
  for (std::size_t n = 0; n < frames; ++n) result.push_back(until(n + 1) - until(n));
  return result;
}

// Runs a program in a folder, its errors in a file there; its exit code, 127 where it is not there.
int run_in(const std::filesystem::path& folder, const std::vector<std::string>& command, const char* errors) {
  std::vector<char*> words;
  for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
  words.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
  posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, errors, O_WRONLY | O_CREAT | O_TRUNC, 0644);
  pid_t process = 0;
  const int failed = posix_spawnp(&process, words[0], &actions, nullptr, words.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) return 127;
  int status = 0;
  while (waitpid(process, &status, 0) < 0 && errno == EINTR) continue;
  return WIFEXITED(status) ? WEXITSTATUS(status) : 1;
}

constexpr const char* errors_file = "errors";

}  // namespace

FilmParts::FilmParts(const Output& output, std::size_t frames, Real seconds, std::size_t most_parts)
    : file_(output.file), frames_(frames), seconds_(seconds) {
  const bool pictures = file_.extension() == ".mp4";
  if (!pictures && file_.extension() != ".gif")
    throw PlotError("films are written as .gif or .mp4; '" + file_.extension().string() + "' is neither");
  if (file_.has_parent_path()) store::make_folder(file_.parent_path());
  if (pictures) {
    pictures_ = file_;
    pictures_ += ".frames";
    store::make_folder(pictures_);
    if (run_in(pictures_, {"ffmpeg", "-version"}, errors_file) != 0) {
      std::filesystem::remove_all(pictures_);
      throw PlotError("ffmpeg is not installed (Debian: ffmpeg); films as .mp4 need it, as .gif they do not");
    }
  }
  // Fewer frames than these are drawn before another process has begun.
  constexpr std::size_t worth_while = 15;
  const std::size_t count = std::clamp(frames / worth_while, std::size_t{1}, most_parts);
  for (std::size_t p = 0; p < count; ++p) {
    Output part = output;
    part.file.replace_extension(".part-" + std::to_string(p + 1) + (pictures ? ".png" : ".gif"));
    if (pictures) part.file = pictures_ / part.file.filename();
    files_.push_back(part.file);
    parts_.push_back(std::make_unique<Gnuplot>(part));
  }
}

FilmParts::~FilmParts() {
  parts_.clear();
  std::error_code ignored;
  for (const auto& file : files_) std::filesystem::remove(file, ignored);
  if (!pictures_.empty()) std::filesystem::remove_all(pictures_, ignored);
}

std::filesystem::path FilmParts::picture(std::size_t frame) const {
  return pictures_ / fmt::format("{:06}.png", frame);
}

void FilmParts::each(const std::function<void(Gnuplot&, std::size_t)>& draw) {
  const std::size_t count = parts_.size(), longest = (frames_ + count - 1) / count;
  for (std::size_t n = 0; n < longest; ++n)
    for (std::size_t p = 0; p < count; ++p)
      if (const std::size_t frame = p * frames_ / count + n; frame < (p + 1) * frames_ / count) {
        if (!pictures_.empty()) parts_[p]->begin_frame(picture(frame));
        draw(*parts_[p], frame);
        // It draws while the next one is told.
        parts_[p]->flush();
      }
}

void FilmParts::finish() {
  for (const auto& part : parts_) part->finish();
  pictures_.empty() ? join() : encode();
}

void FilmParts::join() {
  store::write_file(file_, [&](store::CheckedFile& whole) {
    Joined joined(file_, whole, shown_for(frames_, seconds_));
    for (const auto& file : files_) joined.append(file);
    joined.close();
  });
}

// Every player knows H.264 with colours at half the resolution, which needs even sizes.
void FilmParts::encode() {
  for (std::size_t n = 0; n < frames_; ++n)
    if (!is_complete(picture(n), ".png"))
      throw PlotError(file_.string() + ": a frame was not written completely: is the disk full?");
  const std::string film = "film.mp4";
  const std::string rate =
      fmt::format("{}/{}", static_cast<long>(1000000 * frames_), std::lround(1e6 * seconds_));
  const int code =
      run_in(pictures_, {"ffmpeg", "-loglevel", "error",    "-y",        "-framerate",
                         rate,     "-i",        "%06d.png", "-vf",       "pad=ceil(iw/2)*2:ceil(ih/2)*2",
                         "-c:v",   "libx264",   "-preset",  "veryfast",  "-crf",
                         "18",     "-pix_fmt",  "yuv420p",  "-movflags", "+faststart",
                         film},
             errors_file);
  if (code != 0 || !std::filesystem::exists(pictures_ / film))
    throw PlotError(file_.string() + ": ffmpeg failed: " + text_in(pictures_ / errors_file));
  store::synchronize(pictures_ / film);
  store::replace(pictures_ / film, file_);
}

}  // namespace williwaw::plot
