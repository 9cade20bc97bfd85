/* Records the event flow of a C or C++ game: one header, C99 and POSIX threads, nothing else.
 * One file, long as it is, because one file is copied into a game.
 *
 * In exactly one file:        #define OPOSSUM_IMPLEMENTATION
 * and wherever it is used:    #include "opossum.h"
 *
 *     opossum_open("night.flow.jsonl", "My game", 60);      // or a link: "127.0.0.1:47533"
 *     unsigned long b = opossum_bind("bread_ready", "counter#1", "Counter::on_bread", OPOSSUM_HERE);
 *     opossum_frame(n, dt);
 *     unsigned long s = opossum_send("bread_ready", "oven#1", OPOSSUM_DIRECT, "{\"loaves\":3}");
 *     unsigned long c = opossum_call(s, b, "counter#1", "Counter::on_bread", OPOSSUM_HERE);
 *     counter_on_bread(...);
 *     opossum_ret(c, 1);                                     // changed one thing; -1: not known
 *     opossum_idle();
 *     opossum_close();
 *
 * Guarantees: every function may be called from any thread, and does nothing before opossum_open and after
 * opossum_close; every line is handed to the system at once, so a game that dies leaves all of them; on a link the game
 * never waits: when the link is slower than the game, lines are dropped and counted (`lost`).  A thread watches: while
 * a frame does not end, it writes `stuck` with the open calls of the thread that runs the frames.
 */
#ifndef OPOSSUM_H
#define OPOSSUM_H

#ifdef __cplusplus
extern "C" {
#endif

#define OPOSSUM_TEXT2(x) #x
#define OPOSSUM_TEXT(x) OPOSSUM_TEXT2(x)
#define OPOSSUM_HERE __FILE__ ":" OPOSSUM_TEXT(__LINE__)

#define OPOSSUM_DIRECT ""
#define OPOSSUM_TICK "tick"
#define OPOSSUM_INPUT "input"
#define OPOSSUM_ZONE "zone"
#define OPOSSUM_TIMER "timer"
#define OPOSSUM_DELAY "delay"
#define OPOSSUM_LIFE "life"

/* Begin: `where` is a file's path or "host:port" of an Opossum that listens, now or later; `hz` nominal frames a second,
 * or 0.  OPOSSUM_BUILD in the environment is told as the game's version.  Returns 0, or -1 where nothing can be written (all else then does nothing). */
int opossum_open(const char *where, const char *game, double hz);
void opossum_close(void);

/* The loop. */
void opossum_frame(long n, double dt);
void opossum_idle(void);
void opossum_phase(const char *name);

/* Objects; texts that are NULL or empty are left out. */
void opossum_spawn(const char *o, const char *cls);
void opossum_gone(const char *o);

/* Listeners and events. `data` is JSON text or NULL; `via` one of the words above. Ids are 0 where none is known. */
unsigned long opossum_bind(const char *ev, const char *o, const char *fn, const char *at);
void opossum_unbind(unsigned long b);
unsigned long opossum_send(const char *ev, const char *o, const char *via, const char *data);
unsigned long opossum_send_of_arm(const char *ev, const char *o, const char *via, unsigned long a);
unsigned long opossum_call(unsigned long s, unsigned long b, const char *o, const char *fn, const char *at);
/* `eff`: how many things the call changed, sends included; 0: it ran for nothing; -1: not known. */
void opossum_ret(unsigned long c, long eff);
/* The same where only the owner's own state was looked at: `own` 0: nothing of it changed, and nothing was sent. */
void opossum_ret_own(unsigned long c, long own);
void opossum_put(const char *queue, unsigned long s);
void opossum_pull(const char *queue, unsigned long s);

/* Timers (`loop` 1) and delays (`loop` 0); `how`: cleared, done or owner. */
unsigned long opossum_arm(const char *o, const char *ev, double sec, int loop);
void opossum_disarm(unsigned long a, const char *how);

/* Values and log lines. */
void opossum_watch(const char *o, const char *name, double value);
void opossum_say(const char *text);

/* How many lines had to be dropped so far. */
unsigned long opossum_lost(void);

#ifdef __cplusplus
}
#endif
#endif

#ifdef OPOSSUM_IMPLEMENTATION
#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#define OPOSSUM_LINE 4096
#define OPOSSUM_WAITING (1 << 20)
#define OPOSSUM_DEEPEST 64
#define OPOSSUM_STUCK_AFTER 0.25
/* Processors that are told apart, and the frames that are asked how much of them a host has taken, in ns: hundredths of a
 * second tell too little of shorter ones. */
#define OPOSSUM_PROCESSORS 64
#define OPOSSUM_LOOKED_INTO 50e6
#define OPOSSUM_LOOK_EVERY 250e6
#define OPOSSUM_TICK_NS 1e7

typedef struct {
	unsigned long id;
	char shown[160];
} opossum_open_call;

/* What the machine tells of a processor, in ns so far: that it ran or was taken away, and that a host took of it. */
typedef struct {
	int known;
	double busy, taken;
} opossum_processor;

static struct {
	pthread_mutex_t lock;
	pthread_t watcher, frames;
	int fd, is_link, open, ending, in_frame, torn;
	off_t whole; /* bytes of the file that are whole lines */
	struct timespec begin;
	double frame_began, frame_cpu, frame_ready, look_at;
	int schedstat;
	opossum_processor machine[OPOSSUM_PROCESSORS + 1]; /* all of them together first */
	unsigned long ids[5], lost, untold;
	char *waiting;
	size_t waits;
	opossum_open_call calls[OPOSSUM_DEEPEST];
	int depth, threads;
	struct sockaddr_in address;
} opossum_ = {PTHREAD_MUTEX_INITIALIZER, 0, 0, -1, 0, 0, 0, 0, 0, 0, {0, 0}, 0, 0, 0, 0, -1, {{0, 0, 0}}, {0}, 0, 0, 0, 0, {{0, {0}}}, 0, 0, {0, 0, {0}, {0}}};

static __thread unsigned long opossum_causes[OPOSSUM_DEEPEST];
static __thread int opossum_depth, opossum_thread;

static double opossum_cpu(void) {
	struct timespec used;
	clock_gettime(CLOCK_THREAD_CPUTIME_ID, &used);
	return (double)used.tv_sec * 1e9 + (double)used.tv_nsec;
}

/* How long this thread could have run but was not run; -1 where the system does not tell. */
static double opossum_ready(void) {
	char text[80];
	double ready = -1;
	ssize_t size = opossum_.schedstat >= 0 ? pread(opossum_.schedstat, text, sizeof text - 1, 0) : -1;
	if (size <= 0) return -1;
	text[size] = 0;
	return sscanf(text, "%*s %lf", &ready) == 1 ? ready : -1;
}

/* Where a host takes the processor away while a thread runs, some kernels count that as the thread's own time.  The machine tells
 * how much was taken of each processor (`steal`, proc_stat(5), in hundredths of a second); tests name a file of their own by
 * OPOSSUM_STAT in the environment. */
static void opossum_ask_machine(opossum_processor told[OPOSSUM_PROCESSORS + 1]) {
	const char *path = getenv("OPOSSUM_STAT");
	char text[16384], *line = text;
	int file = open(path ? path : "/proc/stat", O_RDONLY | O_CLOEXEC);
	ssize_t size = file >= 0 ? read(file, text, sizeof text - 1) : -1;
	memset(told, 0, sizeof(opossum_processor) * (OPOSSUM_PROCESSORS + 1));
	if (file >= 0) close(file);
	if (size <= 0) return;
	text[size] = 0;
	while (strncmp(line, "cpu", 3) == 0) {
		double n[8];
		int at = line[3] == ' ' ? 0 : atoi(line + 3) + 1;
		char *end = strchr(line, '\n'), *words = strchr(line, ' ');
		if (!end || !words) return;
		if (at >= 0 && at <= OPOSSUM_PROCESSORS &&
			sscanf(words, "%lf %lf %lf %lf %lf %lf %lf %lf", n, n + 1, n + 2, n + 3, n + 4, n + 5, n + 6, n + 7) == 8) {
			told[at].known = 1;
			told[at].busy = (n[0] + n[1] + n[2] + n[5] + n[6] + n[7]) * OPOSSUM_TICK_NS;
			told[at].taken = n[7] * OPOSSUM_TICK_NS;
		}
		line = end + 1;
	}
}

/* Which of them this thread is on, 0 where that is not known. */
static int opossum_own_processor(void) {
	char text[1024], *field;
	int number = 0, file = open("/proc/thread-self/stat", O_RDONLY | O_CLOEXEC);
	ssize_t size = file >= 0 ? read(file, text, sizeof text - 1) : -1;
	if (file >= 0) close(file);
	if (size <= 0) return 0;
	text[size] = 0;
	field = strrchr(text, ')'); /* the program's name, in brackets, may hold anything */
	for (number = 0; field && number < 37; number++) field = strchr(field + 1, ' ');
	number = field ? atoi(field + 1) + 1 : 0;
	return number >= 0 && number <= OPOSSUM_PROCESSORS ? number : 0;
}

/* Take from what a thread is told to have run in a long frame what a host took of it, and add that to what it waited, with what
 * it neither ran nor waited while its processor was taken away. What was taken is beside the thread's own time as far as there is
 * room; the rest was counted into that: at most the thread's part, by its share of all that ran there. */
static void opossum_leave_out_taken(double *ran, double *waited, double passed) {
	opossum_processor now[OPOSSUM_PROCESSORS + 1];
	double part = 0, of_all = 0, taken = 0, own_busy = -1, within, beside;
	int turn, at = 0;
	opossum_ask_machine(now);
	for (turn = 0; turn < 2; turn++, at = opossum_own_processor()) {
		double busy = now[at].busy - opossum_.machine[at].busy;
		if (!now[at].known || !opossum_.machine[at].known) continue;
		taken = now[at].taken - opossum_.machine[at].taken;
		if (taken > 0 && busy > 0) part = fmax(part, taken * fmin(1, *ran / busy));
		if (at == 0) of_all = taken;
		else own_busy = busy;
	}
	/* what the thread did that its processor had no time for, it did on another */
	if (own_busy < 0 || passed - fmax(*waited, 0) > own_busy + 2 * OPOSSUM_TICK_NS) taken = of_all;
	within = fmax(0, fmin(part, fmin(fmax(taken, of_all) - (passed - *ran), *ran)));
	beside = fmax(0, fmin(taken, passed - *ran - fmax(*waited, 0)));
	if (within <= 0 && beside <= 0) return;
	*ran -= within;
	*waited = fmax(*waited, 0) + within + beside;
}

static double opossum_now(void) {
	struct timespec now;
	clock_gettime(CLOCK_MONOTONIC, &now);
	return (double)(now.tv_sec - opossum_.begin.tv_sec) * 1e9 + (double)(now.tv_nsec - opossum_.begin.tv_nsec);
}

/* Append a formatted piece to a line; what does not fit makes the line too long, and it is dropped whole. */
static size_t opossum_add(char *line, size_t at, const char *format, ...) {
	va_list list;
	int wrote;
	if (at >= OPOSSUM_LINE) return at;
	va_start(list, format);
	wrote = vsnprintf(line + at, OPOSSUM_LINE - at, format, list);
	va_end(list);
	return wrote < 0 ? OPOSSUM_LINE : at + (size_t)wrote;
}

static size_t opossum_field(char *line, size_t at, const char *name, const char *text) {
	if (!text || !*text) return at;
	at = opossum_add(line, at, ",\"%s\":\"", name);
	for (; *text && at < OPOSSUM_LINE; text++) {
		unsigned char c = (unsigned char)*text;
		if (c == '"' || c == '\\') at = opossum_add(line, at, "\\%c", c);
		else if (c < 32) at = opossum_add(line, at, "\\u%04x", c);
		else if (at < OPOSSUM_LINE) line[at++] = (char)c;
	}
	return opossum_add(line, at, "\"");
}

/* Hand bytes to the system; on a link, what it does not take now waits in a bounded store. Called with the lock. */
static int opossum_hand_over(const char *data, size_t size) {
	if (!opossum_.is_link) {
		off_t whole;
		if (opossum_.torn) {
			off_t end;
			if (write(opossum_.fd, "\n", 1) != 1) return -1;
			end = lseek(opossum_.fd, 0, SEEK_END); /* what was torn stays before it */
			if (end > 0) opossum_.whole = end;
			opossum_.torn = 0;
		}
		whole = opossum_.whole + (off_t)size;
		while (size) {
			ssize_t wrote = write(opossum_.fd, data, size);
			if (wrote < 0 && errno == EINTR) continue;
			if (wrote <= 0) {
				/* a full disk cut the line: take it back, or end it before the next one */
				opossum_.torn = ftruncate(opossum_.fd, opossum_.whole) != 0;
				return -1;
			}
			data += wrote;
			size -= (size_t)wrote;
		}
		opossum_.whole = whole;
		return 0;
	}
	while (opossum_.waits && opossum_.fd >= 0) {
		ssize_t sent = send(opossum_.fd, opossum_.waiting, opossum_.waits, MSG_DONTWAIT | MSG_NOSIGNAL);
		if (sent <= 0) break;
		opossum_.waits -= (size_t)sent;
		memmove(opossum_.waiting, opossum_.waiting + sent, opossum_.waits);
	}
	if (!opossum_.waits && size && opossum_.fd >= 0) {
		ssize_t sent = send(opossum_.fd, data, size, MSG_DONTWAIT | MSG_NOSIGNAL);
		if (sent > 0) {
			data += sent;
			size -= (size_t)sent;
		} else if (errno != EAGAIN && errno != EWOULDBLOCK) return -1;
	}
	if (size > OPOSSUM_WAITING - opossum_.waits) return -1;
	memcpy(opossum_.waiting + opossum_.waits, data, size);
	opossum_.waits += size;
	return 0;
}

/* Begin a record: takes the lock, so that times never go back. Returns 0 where nothing is recorded. */
static size_t opossum_begin(char *line, const char *kind) {
	if (!opossum_.open) return 0;
	pthread_mutex_lock(&opossum_.lock);
	if (!opossum_.open) {
		pthread_mutex_unlock(&opossum_.lock);
		return 0;
	}
	return opossum_add(line, 0, "{\"k\":\"%s\",\"t\":%.0f", kind, opossum_now());
}

static void opossum_end(char *line, size_t at) {
	if (!pthread_equal(pthread_self(), opossum_.frames)) {
		if (!opossum_thread) opossum_thread = ++opossum_.threads;
		at = opossum_add(line, at, ",\"th\":\"thread-%d\"", opossum_thread);
	}
	at = opossum_add(line, at, "}\n");
	if (at >= OPOSSUM_LINE || opossum_hand_over(line, at) != 0) {
		opossum_.lost++;
		opossum_.untold++;
	}
	if (opossum_.untold && !opossum_.waits) {
		char told[80];
		int size = snprintf(told, sizeof told, "{\"k\":\"lost\",\"t\":%.0f,\"n\":%lu}\n", opossum_now(), opossum_.untold);
		if (opossum_hand_over(told, (size_t)size) == 0) opossum_.untold = 0;
	}
	pthread_mutex_unlock(&opossum_.lock);
}

static size_t opossum_cause(char *line, size_t at) {
	int top = opossum_depth < OPOSSUM_DEEPEST ? opossum_depth : OPOSSUM_DEEPEST;
	return top ? opossum_add(line, at, ",\"c\":%lu", opossum_causes[top - 1]) : at;
}

/* Returns a socket that is connected to whoever listens, or -1 while nobody does. */
static int opossum_reach(void) {
	int one = 1, fd = socket(AF_INET, SOCK_STREAM, 0);
	if (fd < 0 || connect(fd, (struct sockaddr *)&opossum_.address, sizeof opossum_.address) != 0) {
		if (fd >= 0) close(fd);
		return -1;
	}
	setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
	return fd;
}

static void *opossum_watch_over(void *nothing) {
	double told = 0;
	char heard[4096];
	size_t size = 0;
	(void)nothing;
	while (!opossum_.ending) {
		struct pollfd waits = {opossum_.fd, POLLIN, 0};
		if (opossum_.is_link && opossum_.fd < 0) {
			int fd = opossum_reach(); /* nobody listened so far: ask again */
			pthread_mutex_lock(&opossum_.lock);
			opossum_.fd = waits.fd = fd;
			pthread_mutex_unlock(&opossum_.lock);
			if (fd < 0) {
				struct timespec rest = {0, 180000000};
				nanosleep(&rest, 0);
			}
		}
		if (opossum_.is_link && poll(&waits, 1, 20) > 0) {
			ssize_t got = recv(opossum_.fd, heard + size, sizeof heard - 1 - size, MSG_DONTWAIT);
			char *line = heard, *next;
			if (got <= 0) {
				struct timespec rest = {0, 20000000};
				nanosleep(&rest, 0);
			}
			size += got > 0 ? (size_t)got : 0;
			heard[size] = 0;
			for (; (next = strchr(line, '\n')); line = next + 1) {
				const char *id, *t;
				*next = 0;
				id = strstr(line, "\"id\":");
				t = strstr(line, "\"t\":");
				if (strstr(line, "\"ping\"") && id && t) {
					char pong[160];
					int length;
					pthread_mutex_lock(&opossum_.lock);
					length = snprintf(pong, sizeof pong, "{\"k\":\"pong\",\"id\":%ld,\"t\":%lld,\"g\":%.0f}\n",
						atol(id + 5), atoll(t + 4), opossum_now());
					opossum_hand_over(pong, (size_t)length);
					pthread_mutex_unlock(&opossum_.lock);
				}
			}
			size = strlen(line) < sizeof heard / 2 ? strlen(line) : 0;
			memmove(heard, line, size);
		} else if (!opossum_.is_link) {
			struct timespec rest = {0, 50000000};
			nanosleep(&rest, 0);
		}
		pthread_mutex_lock(&opossum_.lock);
		if (opossum_.is_link) opossum_hand_over("", 0);
		{
			double stuck = opossum_.in_frame ? (opossum_now() - opossum_.frame_began) / 1e9 : 0;
			if (stuck < OPOSSUM_STUCK_AFTER) told = 0;
			else if (stuck > told * 1.5 + OPOSSUM_STUCK_AFTER * (told > 0)) {
				char line[OPOSSUM_LINE];
				size_t at = opossum_add(line, 0, "{\"k\":\"stuck\",\"t\":%.0f,\"th\":\"watch\",\"sec\":%.3f,\"stack\":[", opossum_now(), stuck);
				int depth = opossum_.depth < OPOSSUM_DEEPEST ? opossum_.depth : OPOSSUM_DEEPEST, index;
				for (index = depth - 1; index >= 0; index--)
					at = opossum_add(line, at, "%s\"%s\"", index < depth - 1 ? "," : "", opossum_.calls[index].shown);
				at = opossum_add(line, at, "]");
				if (depth) at = opossum_add(line, at, ",\"c\":%lu", opossum_.calls[depth - 1].id);
				at = opossum_add(line, at, "}\n");
				if (at < OPOSSUM_LINE) opossum_hand_over(line, at);
				told = stuck;
			}
		}
		pthread_mutex_unlock(&opossum_.lock);
	}
	return 0;
}

int opossum_open(const char *where, const char *game, double hz) {
	const char *colon = strrchr(where, ':');
	char line[OPOSSUM_LINE], host[64];
	size_t at;
	if (opossum_.open) return -1;
	opossum_.is_link = colon && !strchr(where, '/') && atoi(colon + 1) > 0 && (size_t)(colon - where) < sizeof host;
	if (opossum_.is_link) {
		memset(&opossum_.address, 0, sizeof opossum_.address);
		memcpy(host, where, (size_t)(colon - where));
		host[colon - where] = 0;
		opossum_.address.sin_family = AF_INET;
		opossum_.address.sin_port = htons((unsigned short)atoi(colon + 1));
		if (inet_pton(AF_INET, strcmp(host, "localhost") ? host : "127.0.0.1", &opossum_.address.sin_addr) != 1) return -1;
		opossum_.waiting = (char *)malloc(OPOSSUM_WAITING);
		if (!opossum_.waiting) return -1;
		opossum_.fd = opossum_reach();
	} else opossum_.fd = open(where, O_WRONLY | O_CREAT | O_TRUNC | O_APPEND, 0644);
	if (opossum_.fd < 0 && !opossum_.is_link) return -1;
	clock_gettime(CLOCK_MONOTONIC, &opossum_.begin);
	opossum_.frames = pthread_self();
	opossum_.schedstat = open("/proc/thread-self/schedstat", O_RDONLY);
	opossum_.ending = opossum_.in_frame = opossum_.depth = 0;
	opossum_.lost = opossum_.untold = opossum_.waits = 0;
	opossum_.look_at = 0;
	opossum_.torn = 0;
	opossum_.whole = 0;
	memset(opossum_.ids, 0, sizeof opossum_.ids);
	opossum_.open = 1;
	at = opossum_begin(line, "head");
	at = opossum_add(line, at, ",\"opossum\":1,\"peer\":\"main\",\"lang\":\"c\",\"pid\":%ld", (long)getpid());
	if (hz > 0) at = opossum_add(line, at, ",\"hz\":%g", hz);
	at = opossum_field(line, at, "build", getenv("OPOSSUM_BUILD"));
	host[0] = 0;
	if (gethostname(host, sizeof host - 1) == 0) {
		host[sizeof host - 1] = 0;
		at = opossum_field(line, at, "host", host);
	}
	opossum_end(line, opossum_field(line, at, "game", game));
	if (pthread_create(&opossum_.watcher, 0, opossum_watch_over, 0) != 0) opossum_.ending = 1;
	return 0;
}

void opossum_close(void) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "bye");
	int turns = 0;
	if (!at) return;
	opossum_end(line, at);
	if (!opossum_.ending) {
		opossum_.ending = 1;
		pthread_join(opossum_.watcher, 0);
	}
	pthread_mutex_lock(&opossum_.lock);
	opossum_.open = 0;
	while (opossum_.is_link && opossum_.fd >= 0 && opossum_.waits && turns++ < 200) {
		struct pollfd waits = {opossum_.fd, POLLOUT, 0};
		poll(&waits, 1, 10);
		opossum_hand_over("", 0);
	}
	if (opossum_.is_link) {
		char rest[4096];
		struct pollfd waits = {opossum_.fd, POLLIN, 0};
		if (opossum_.fd >= 0) shutdown(opossum_.fd, SHUT_WR);
		/* hear the other side out: closing over unread answers would cut the last lines off */
		while (opossum_.fd >= 0 && poll(&waits, 1, 1000) > 0 && recv(opossum_.fd, rest, sizeof rest, 0) > 0) {
		}
		free(opossum_.waiting);
		opossum_.waiting = 0;
	}
	if (opossum_.fd >= 0 && !opossum_.is_link) fsync(opossum_.fd);
	if (opossum_.fd >= 0) close(opossum_.fd);
	opossum_.fd = -1;
	if (opossum_.schedstat >= 0) close(opossum_.schedstat);
	opossum_.schedstat = -1;
	pthread_mutex_unlock(&opossum_.lock);
}

void opossum_frame(long n, double dt) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "frame");
	if (!at) return;
	opossum_.in_frame = 1;
	opossum_.frame_began = opossum_now();
	opossum_.frame_cpu = opossum_cpu();
	opossum_.frame_ready = opossum_ready();
	if (opossum_.frame_began >= opossum_.look_at) {
		opossum_.look_at = opossum_.frame_began + OPOSSUM_LOOK_EVERY;
		opossum_ask_machine(opossum_.machine);
	}
	at = opossum_add(line, at, ",\"n\":%ld", n);
	if (dt > 0 && isfinite(dt)) at = opossum_add(line, at, ",\"dt\":%.6g", dt);
	opossum_end(line, at);
}

void opossum_idle(void) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "idle");
	if (!at) return;
	if (opossum_.in_frame && pthread_equal(pthread_self(), opossum_.frames)) {
		double ready = opossum_ready(), ran = opossum_cpu() - opossum_.frame_cpu;
		double waited = ready >= 0 && opossum_.frame_ready >= 0 ? ready - opossum_.frame_ready : -1;
		double passed = opossum_now() - opossum_.frame_began;
		if (passed >= OPOSSUM_LOOKED_INTO) opossum_leave_out_taken(&ran, &waited, passed);
		at = opossum_add(line, at, ",\"cpu\":%.0f", ran);
		if (waited >= 0) at = opossum_add(line, at, ",\"ready\":%.0f", waited);
	}
	opossum_.in_frame = 0;
	opossum_end(line, at);
}

/* Records that are texts, and the call they were made in where the contract has it. */
static void opossum_texts(const char *kind, const char *a, const char *x, const char *b, const char *y, int caused) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, kind);
	if (!at) return;
	at = opossum_field(line, opossum_field(line, at, a, x), b, y);
	opossum_end(line, caused ? opossum_cause(line, at) : at);
}

void opossum_phase(const char *name) { opossum_texts("phase", "name", name, "", 0, 0); }
void opossum_spawn(const char *o, const char *cls) { opossum_texts("spawn", "o", o, "cls", cls, 1); }
void opossum_gone(const char *o) { opossum_texts("gone", "o", o, "", 0, 1); }
void opossum_say(const char *text) { opossum_texts("say", "text", text, "", 0, 0); }

/* Records that are one number and perhaps a text. */
static void opossum_number(const char *kind, const char *name, unsigned long number, const char *a, const char *x, int caused) {
	char line[OPOSSUM_LINE];
	size_t at = number ? opossum_begin(line, kind) : 0;
	if (!at) return;
	at = opossum_field(line, opossum_add(line, at, ",\"%s\":%lu", name, number), a, x);
	opossum_end(line, caused ? opossum_cause(line, at) : at);
}

void opossum_unbind(unsigned long b) { opossum_number("unbind", "b", b, "", 0, 1); }
void opossum_put(const char *queue, unsigned long s) { opossum_number("put", "s", s, "q", queue, 1); }
void opossum_pull(const char *queue, unsigned long s) { opossum_number("pull", "s", s, "q", queue, 0); }
void opossum_disarm(unsigned long a, const char *how) { opossum_number("disarm", "a", a, "how", how, 1); }

unsigned long opossum_bind(const char *ev, const char *o, const char *fn, const char *at_place) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "bind");
	unsigned long id;
	if (!at) return 0;
	id = ++opossum_.ids[0];
	at = opossum_field(line, opossum_add(line, at, ",\"b\":%lu", id), "ev", ev);
	at = opossum_field(line, opossum_field(line, at, "o", o), "fn", fn);
	opossum_end(line, opossum_cause(line, opossum_field(line, at, "at", at_place)));
	return id;
}

static unsigned long opossum_sent(const char *ev, const char *o, const char *via, const char *data, unsigned long a) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "send");
	unsigned long id;
	if (!at) return 0;
	id = ++opossum_.ids[1];
	at = opossum_field(line, opossum_add(line, at, ",\"s\":%lu", id), "ev", ev);
	at = opossum_cause(line, opossum_field(line, opossum_field(line, at, "o", o), "via", via));
	if (a) at = opossum_add(line, at, ",\"a\":%lu", a);
	if (data && *data) at = opossum_add(line, at, ",\"d\":%s", data);
	opossum_end(line, at);
	return id;
}

unsigned long opossum_send(const char *ev, const char *o, const char *via, const char *data) {
	return opossum_sent(ev, o, via, data, 0);
}

unsigned long opossum_send_of_arm(const char *ev, const char *o, const char *via, unsigned long a) {
	return opossum_sent(ev, o, via, 0, a);
}

unsigned long opossum_call(unsigned long s, unsigned long b, const char *o, const char *fn, const char *place) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "call");
	unsigned long id;
	if (!at) return 0;
	id = ++opossum_.ids[2];
	at = opossum_add(line, at, ",\"c\":%lu,\"s\":%lu", id, s);
	if (b) at = opossum_add(line, at, ",\"b\":%lu", b);
	at = opossum_field(line, opossum_field(line, at, "o", o), "fn", fn);
	at = opossum_field(line, at, "at", place);
	if (opossum_depth < OPOSSUM_DEEPEST) opossum_causes[opossum_depth] = id;
	opossum_depth++;
	if (pthread_equal(pthread_self(), opossum_.frames)) {
		if (opossum_.depth < OPOSSUM_DEEPEST) {
			opossum_open_call *open_call = &opossum_.calls[opossum_.depth];
			char *c;
			open_call->id = id;
			snprintf(open_call->shown, sizeof open_call->shown, "%s %s", fn ? fn : "", place ? place : "");
			for (c = open_call->shown; *c; c++)
				if (*c == '"' || *c == '\\' || (unsigned char)*c < 32) *c = ' ';
		}
		opossum_.depth++;
	}
	opossum_end(line, at);
	return id;
}

static void opossum_returned(unsigned long c, const char *name, long effect) {
	char line[OPOSSUM_LINE];
	size_t at = c ? opossum_begin(line, "ret") : 0;
	if (!at) return;
	at = opossum_add(line, at, ",\"c\":%lu", c);
	if (effect >= 0) at = opossum_add(line, at, ",\"%s\":%ld", name, effect);
	if (opossum_depth > 0) opossum_depth--;
	if (pthread_equal(pthread_self(), opossum_.frames) && opossum_.depth > 0) opossum_.depth--;
	opossum_end(line, at);
}

void opossum_ret(unsigned long c, long eff) { opossum_returned(c, "eff", eff); }
void opossum_ret_own(unsigned long c, long own) { opossum_returned(c, "own", own); }

unsigned long opossum_arm(const char *o, const char *ev, double sec, int loop) {
	char line[OPOSSUM_LINE];
	size_t at = opossum_begin(line, "arm");
	unsigned long id;
	if (!at) return 0;
	id = ++opossum_.ids[3];
	at = opossum_add(line, at, ",\"a\":%lu,\"what\":\"%s\",\"sec\":%.6g,\"loop\":%s", id, loop ? "timer" : "delay",
		isfinite(sec) ? sec : 0, loop ? "true" : "false");
	opossum_end(line, opossum_cause(line, opossum_field(line, opossum_field(line, at, "o", o), "ev", ev)));
	return id;
}

void opossum_watch(const char *o, const char *name, double value) {
	char line[OPOSSUM_LINE];
	size_t at = isfinite(value) ? opossum_begin(line, "watch") : 0;
	if (!at) return;
	at = opossum_field(line, opossum_field(line, at, "o", o), "name", name);
	opossum_end(line, opossum_add(line, at, ",\"v\":%.10g", value));
}

unsigned long opossum_lost(void) { return opossum_.lost; }
#endif
