#include "plot/film_parts.hpp"

#include <gif_lib.h>

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
  Joined(std::filesystem::path name, store::CheckedFile& file) : name_(std::move(name)), file_(file) {}

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
  std::exception_ptr failure_;
  Written out_;
  int frames_ = 0;
};

}  // namespace

FilmParts::FilmParts(const Output& output, std::size_t frames, Index hundredths, std::size_t most_parts)
    : file_(output.file), frames_(frames) {
  // Fewer frames than these are drawn before another process has begun.
  constexpr std::size_t worth_while = 15;
  const std::size_t count = std::clamp(frames / worth_while, std::size_t{1}, most_parts);
  for (std::size_t p = 0; p < count; ++p) {
    Output part = output;
    if (count > 1) part.file.replace_extension(".part-" + std::to_string(p + 1) + ".gif");
    files_.push_back(part.file);
    parts_.push_back(std::make_unique<Gnuplot>(part, hundredths));
  }
}

FilmParts::~FilmParts() {
  parts_.clear();
  std::error_code ignored;
  for (const auto& file : files_)
    if (file != file_) std::filesystem::remove(file, ignored);
}

void FilmParts::each(const std::function<void(Gnuplot&, std::size_t)>& draw) {
  const std::size_t count = parts_.size(), longest = (frames_ + count - 1) / count;
  for (std::size_t n = 0; n < longest; ++n)
    for (std::size_t p = 0; p < count; ++p)
      if (const std::size_t frame = p * frames_ / count + n; frame < (p + 1) * frames_ / count) {
        draw(*parts_[p], frame);
        // It draws while the next one is told.
        parts_[p]->flush();
      }
}

void FilmParts::finish() {
  for (const auto& part : parts_) part->finish();
  if (parts_.size() == 1) return;
  store::write_file(file_, [&](store::CheckedFile& whole) {
    Joined joined(file_, whole);
    for (const auto& file : files_) joined.append(file);
    joined.close();
  });
}

}  // namespace williwaw::plot
