// Makes one call of a process fail, or kills it there. Loaded before the system's library (LD_PRELOAD), for tests of disk faults.
// FAULT_TOP: only files below this folder count. FAULT_PROGRAM: only this program counts (node, git), any when it is empty.
// FAULT_COUNTER: a file whose size is the number of calls so far, of all processes together.
// FAULT_AT: which call, from 1; 0 only counts. FAULT_DOES: ENOSPC, EIO, full (ENOSPC from then on), readonly (EROFS from then on)
// or kill.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

// Looked up before main: a lookup takes a lock, and these are called in signal handlers too.
#define REAL(name) static __typeof__(name) *real_##name
REAL(write);
REAL(writev);
REAL(pwrite64);
REAL(fsync);
REAL(fdatasync);
REAL(rename);
REAL(link);
REAL(mkdir);
REAL(unlink);
REAL(open);
REAL(open64);
#define FIND(name) real_##name = (__typeof__(name) *)dlsym(RTLD_NEXT, #name)
__attribute__((constructor)) static void find_all(void) {
  FIND(write);
  FIND(writev);
  FIND(pwrite64);
  FIND(fsync);
  FIND(fdatasync);
  FIND(rename);
  FIND(link);
  FIND(mkdir);
  FIND(unlink);
  FIND(open);
  FIND(open64);
}

static long at_call(void) {
  const char *file = getenv("FAULT_COUNTER");
  if (!file) return -1;
  int fd = real_open(file, O_WRONLY | O_APPEND | O_CREAT, 0644);
  if (fd < 0) return -1;
  real_write(fd, "x", 1);
  long size = (long)lseek(fd, 0, SEEK_CUR);
  close(fd);
  return size;
}

// Whether this call is the one, or comes behind it on a full disk; sets errno.
static int fails(const char *path, int writes) {
  const char *top = getenv("FAULT_TOP"), *program = getenv("FAULT_PROGRAM"), *does = getenv("FAULT_DOES"), *at = getenv("FAULT_AT");
  if (!top || !does || !at || strncmp(path, top, strlen(top)) != 0) return 0;
  if (program && *program && strcmp(program, program_invocation_short_name) != 0) return 0;
  long wanted = atol(at), now = at_call();
  int saved = errno;
  if (now == wanted) {
    if (strcmp(does, "kill") == 0) raise(SIGKILL);
    errno = strcmp(does, "EIO") == 0 ? EIO : strcmp(does, "readonly") == 0 ? EROFS : ENOSPC;
    return 1;
  }
  if (wanted > 0 && now > wanted && strcmp(does, "readonly") == 0) {
    errno = EROFS;
    return 1;
  }
  if (writes && wanted > 0 && now > wanted && strcmp(does, "full") == 0) {
    errno = ENOSPC;
    return 1;
  }
  errno = saved;
  return 0;
}

static int fails_at(int fd, int writes) {
  if (!real_write) find_all();
  char link[64], path[4096];
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  ssize_t length = readlink(link, path, sizeof path - 1);
  if (length <= 0 || path[0] != '/') return 0;
  path[length] = 0;
  return fails(path, writes);
}

static void whole(const char *path, char *out) {
  if (path[0] == '/' || !getcwd(out, 2048)) {
    snprintf(out, 4096, "%s", path);
    return;
  }
  size_t length = strlen(out);
  snprintf(out + length, 4096 - length, "/%s", path);
}

static int fails_name(const char *path, int writes) {
  if (!real_open) find_all();
  char out[4096];
  whole(path, out);
  return fails(out, writes);
}

#define OPEN(name)                                                        \
  int name(const char *path, int flags, ...) {                            \
    mode_t mode = 0;                                                      \
    if (flags & (O_CREAT | O_TMPFILE)) {                                  \
      va_list rest;                                                       \
      va_start(rest, flags);                                              \
      mode = va_arg(rest, mode_t);                                        \
      va_end(rest);                                                       \
    }                                                                     \
    if ((flags & O_CREAT) && fails_name(path, 1)) return -1;              \
    return real_##name(path, flags, mode);                                \
  }
OPEN(open)
OPEN(open64)

ssize_t write(int fd, const void *bytes, size_t size) {
  return fails_at(fd, 1) ? -1 : real_write(fd, bytes, size);
}
ssize_t writev(int fd, const struct iovec *parts, int count) {
  return fails_at(fd, 1) ? -1 : real_writev(fd, parts, count);
}
ssize_t pwrite64(int fd, const void *bytes, size_t size, off64_t at) {
  return fails_at(fd, 1) ? -1 : real_pwrite64(fd, bytes, size, at);
}
int fsync(int fd) {
  return fails_at(fd, 1) ? -1 : real_fsync(fd);
}
int fdatasync(int fd) {
  return fails_at(fd, 1) ? -1 : real_fdatasync(fd);
}
int rename(const char *from, const char *to) {
  return fails_name(to, 0) ? -1 : real_rename(from, to);
}
int link(const char *from, const char *to) {
  return fails_name(to, 1) ? -1 : real_link(from, to);
}
int mkdir(const char *path, mode_t mode) {
  return fails_name(path, 1) ? -1 : real_mkdir(path, mode);
}
int unlink(const char *path) {
  return fails_name(path, 0) ? -1 : real_unlink(path);
}
