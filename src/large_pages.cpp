// Vectors in large pages: a program that links this object asks the system for them wherever it allocates
// much at once. Linux gives large pages to who asks for them (transparent huge pages: madvise); elsewhere
// nothing changes.
#include <sys/mman.h>

#include <cstdlib>
#include <new>

namespace {

constexpr std::size_t page = std::size_t{1} << 21;

// A large page that is filled to three quarters is worth it; less than that at the end is left to small ones.
std::size_t rounded(std::size_t count) {
  const std::size_t rest = count % page;
  return rest >= page / 4 * 3 ? count - rest + page : count;
}

void* allocated(std::size_t count) {
  const std::size_t whole = rounded(count);
  if (whole < page) return std::malloc(count > 0 ? count : 1);
  // From the beginning of a page, in which nothing has been written: only then it comes as a large one.
  void* const made = std::aligned_alloc(page, whole);
  if (made) madvise(made, whole / page * page, MADV_HUGEPAGE);
  return made;
}

}  // namespace

void* operator new(std::size_t count) {
  for (;;) {
    if (void* const made = allocated(count)) return made;
    if (const std::new_handler handler = std::get_new_handler())
      handler();
    else
      throw std::bad_alloc();
  }
}

void operator delete(void* made) noexcept {
  std::free(made);
}

void operator delete(void* made, std::size_t) noexcept {
  std::free(made);
}
