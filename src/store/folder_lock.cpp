#include "williwaw/store/folder_lock.hpp"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <string>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::store {

namespace {

std::string host() {
  std::array<char, 256> name{};
  return gethostname(name.data(), name.size() - 1) == 0 ? name.data() : "an unknown host";
}

std::string contents(int handle) {
  std::array<char, 512> text{};
  const ssize_t count = pread(handle, text.data(), text.size() - 1, 0);
  return count > 0 ? std::string(text.data(), static_cast<std::size_t>(count)) : "";
}

// The file may have been removed by its last holder between opening and locking it.
bool still_there(int handle, const std::filesystem::path& file) {
  struct stat mine {
  }, named{};
  return fstat(handle, &mine) == 0 && stat(file.c_str(), &named) == 0 && mine.st_ino == named.st_ino &&
         mine.st_dev == named.st_dev;
}

}  // namespace

FolderLock::FolderLock(const std::filesystem::path& folder) : file_(folder / "lock") {
  for (;;) {
    handle_ = open(file_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (handle_ < 0) throw StoreError(file_.string() + ": cannot be written: " + std::strerror(errno));
    if (flock(handle_, LOCK_EX | LOCK_NB) != 0) {
      const std::string other = contents(handle_);
      close(handle_);
      handle_ = -1;
      throw StoreError(folder.string() + ": " + (other.empty() ? "another process" : other) +
                       " writes into this folder; wait until it has ended, or give another folder with -o");
    }
    if (still_there(handle_, file_)) break;
    close(handle_);
  }
  const std::string me = "process " + std::to_string(getpid()) + " on " + host();
  // Who holds it is a help for people only: a full disk must not stop a run here.
  if (ftruncate(handle_, 0) == 0 && pwrite(handle_, me.data(), me.size(), 0) < 0) return;
}

FolderLock::~FolderLock() {
  if (handle_ < 0) return;
  std::error_code ignored;
  std::filesystem::remove(file_, ignored);
  close(handle_);
}

}  // namespace williwaw::store
