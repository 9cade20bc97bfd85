/* Makes system calls fail on purpose: loaded before a process's libraries, told through `fail_from_now` what to do.
 *
 * Of the calls that write, make, rename, cut, sync, map or remove files below a folder, the n-th fails with an error, is cut
 * short (once), or kills the process there and then.  Others pass.  What was called is counted, and kept as one letter each.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/types.h>
#include <unistd.h>

static char below[PATH_MAX], called[65536];
static long countdown = -1, count;
static int error_number, forever, cut;
enum { FAILS, IS_CUT_SHORT, IS_KILLED };
static int what;

void fail_from_now(const char *folder, long nth, int does, int error, int for_ever)
{
	strncpy(below, folder, sizeof below - 1);
	countdown = nth;
	count = 0;
	what = does;
	error_number = error;
	forever = for_ever;
	cut = 0;
}

long calls_so_far(void) { return count; }
const char *letters_so_far(void) { called[count < 65535 ? count : 65535] = 0; return called; }

static int is_below(const char *path) { return below[0] && path && strncmp(path, below, strlen(below)) == 0; }

static int is_file_below(int file)
{
	char link[64], path[PATH_MAX];
	ssize_t size;
	if (!below[0]) return 0;
	snprintf(link, sizeof link, "/proc/self/fd/%d", file);
	size = readlink(link, path, sizeof path - 1);
	if (size <= 0) return 0;
	path[size] = 0;
	return is_below(path);
}

/* Count a call; returns 1 where it is to fail, with errno set. */
static int fails(int counts, char letter)
{
	if (!counts) return 0;
	if (count < 65535) called[count] = letter;
	count++;
	if (countdown < 0) return 0;
	if (countdown > 0 && --countdown > 0) return 0;
	if (!forever) countdown = -1;
	if (what == IS_KILLED) kill(getpid(), SIGKILL);
	errno = error_number;
	return 1;
}

#define REAL(type, name, ...) static type (*real)(__VA_ARGS__); if (!real) real = (type (*)(__VA_ARGS__))dlsym(RTLD_NEXT, name)

ssize_t write(int file, const void *data, size_t size)
{
	REAL(ssize_t, "write", int, const void *, size_t);
	if (!fails(is_file_below(file), 'w')) return real(file, data, size);
	return what == IS_CUT_SHORT && size > 1 && !cut++ ? real(file, data, size / 2) : -1;
}

ssize_t pwrite(int file, const void *data, size_t size, off_t at)
{
	REAL(ssize_t, "pwrite", int, const void *, size_t, off_t);
	if (!fails(is_file_below(file), 'w')) return real(file, data, size, at);
	return what == IS_CUT_SHORT && size > 1 && !cut++ ? real(file, data, size / 2, at) : -1;
}
ssize_t pwrite64(int file, const void *data, size_t size, off_t at) { return pwrite(file, data, size, at); }

int fsync(int file)
{
	REAL(int, "fsync", int);
	return fails(is_file_below(file), 's') ? -1 : real(file);
}

int ftruncate(int file, off_t size)
{
	REAL(int, "ftruncate", int, off_t);
	return fails(is_file_below(file), 't') ? -1 : real(file, size);
}
int ftruncate64(int file, off_t size) { return ftruncate(file, size); }

int rename(const char *from, const char *to)
{
	REAL(int, "rename", const char *, const char *);
	return fails(is_below(to), 'r') ? -1 : real(from, to);
}

int chmod(const char *path, mode_t mode)
{
	REAL(int, "chmod", const char *, mode_t);
	return fails(is_below(path), 'm') ? -1 : real(path, mode);
}

int unlink(const char *path)
{
	REAL(int, "unlink", const char *);
	return fails(is_below(path), 'u') ? -1 : real(path);
}

int close(int file)
{
	REAL(int, "close", int);
	int failed = fails(is_file_below(file), 'c');
	int result = real(file); /* closed all the same, as Linux does it */
	if (failed) errno = error_number;
	return failed ? -1 : result;
}

int open(const char *path, int flags, ...)
{
	va_list list;
	mode_t mode;
	REAL(int, "open", const char *, int, ...);
	va_start(list, flags);
	mode = va_arg(list, mode_t);
	va_end(list);
	return fails(is_below(path), 'o') ? -1 : real(path, flags, mode);
}
int open64(const char *path, int flags, ...)
{
	va_list list;
	mode_t mode;
	va_start(list, flags);
	mode = va_arg(list, mode_t);
	va_end(list);
	return open(path, flags, mode);
}

void *mmap(void *at, size_t size, int protection, int flags, int file, off_t offset)
{
	REAL(void *, "mmap", void *, size_t, int, int, int, off_t);
	if (file >= 0 && fails(is_file_below(file), 'p')) return MAP_FAILED;
	return real(at, size, protection, flags, file, offset);
}
void *mmap64(void *at, size_t size, int protection, int flags, int file, off_t offset)
{
	return mmap(at, size, protection, flags, file, offset);
}
