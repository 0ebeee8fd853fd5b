/* Laid over a program by LD_PRELOAD: the n-th of all writes, synchronizations, closes and renames of files below
   a folder fails, and with FAULT_LASTS all after it too, as on a full disk. FAULT_FOLDER, FAULT_AT (from 1). */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <limits.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

static long calls = 0;
static int writing(const char* path) {
  const char* folder = getenv("FAULT_FOLDER");
  return folder && strstr(path, folder) != NULL;
}

static int below(int handle) {
  char link[64], path[PATH_MAX];
  snprintf(link, sizeof link, "/proc/self/fd/%d", handle);
  const ssize_t length = readlink(link, path, sizeof path - 1);
  if (length <= 0) return 0;
  path[length] = '\0';
  return writing(path);
}

/* With FAULT_PARENT calls of copies of the first process do not count. */
static pid_t first_process = 0;
__attribute__((constructor)) static void begin(void) { first_process = getpid(); }

static int fails(void) {
  if (getenv("FAULT_PARENT") && getpid() != first_process) return 0;
  const char* at = getenv("FAULT_AT");
  const long wanted = at ? atol(at) : 0;
  ++calls;
  const int now = wanted > 0 && (calls == wanted || (calls > wanted && getenv("FAULT_LASTS")));
  if (now) {
    const char* told = getenv("FAULT_TOLD");
    if (told) {
      /* The file tells that the fault was reached. It lies outside the folder. */
      FILE* out = fopen(told, "w");
      if (out) fclose(out);
    }
    errno = ENOSPC;
  }
  return now;
}

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

ssize_t write(int handle, const void* bytes, size_t count) {
  if (below(handle) && fails()) return -1;
  return REAL(write)(handle, bytes, count);
}
ssize_t pwrite(int handle, const void* bytes, size_t count, off_t at) {
  if (below(handle) && fails()) return -1;
  return REAL(pwrite)(handle, bytes, count, at);
}
ssize_t pwrite64(int handle, const void* bytes, size_t count, off64_t at) {
  if (below(handle) && fails()) return -1;
  return REAL(pwrite64)(handle, bytes, count, at);
}
int fsync(int handle) {
  if (below(handle) && fails()) return -1;
  return REAL(fsync)(handle);
}
int close(int handle) {
  const int fault = below(handle) && fails();
  const int status = REAL(close)(handle);
  if (!fault) return status;
  errno = ENOSPC;
  return -1;
}
int rename(const char* from, const char* to) {
  if (writing(to) && fails()) return -1;
  return REAL(rename)(from, to);
}
