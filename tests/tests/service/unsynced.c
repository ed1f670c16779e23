/* Notes every file and folder that is synced, by device and inode, as a disc with a cache would keep them: what is not
   in the list is lost with the power. Loaded before the program by the test beside. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static void note(int fd) {
  const char *path = getenv("SYNCED");
  struct stat s;
  if (!path || fstat(fd, &s)) return;
  char line[64];
  int n = snprintf(line, sizeof line, "%llu\n", (unsigned long long)s.st_ino);
  int out = open(path, O_WRONLY | O_CREAT | O_APPEND, 0600);
  if (out < 0) return;
  if (write(out, line, n) != n) abort();
  close(out);
}

int fsync(int fd) {
  int (*real)(int) = dlsym(RTLD_NEXT, "fsync");
  int r = real(fd);
  if (!r) note(fd);
  return r;
}

int fdatasync(int fd) {
  int (*real)(int) = dlsym(RTLD_NEXT, "fdatasync");
  int r = real(fd);
  if (!r) note(fd);
  return r;
}
