/* The bakery's night in miniature: a loop in C that records itself.
 *
 *     opossum header > opossum.h && cc c_bakery.c -o bakery -lpthread -lm && ./bakery night.flow.jsonl [FAULT]
 *
 * Faults: double (the counter is bound twice), stale (a customer who left is still called), slow (one call holds a
 * frame up), loop (a call never ends).
 */
#define OPOSSUM_IMPLEMENTATION
#include "opossum.h"

#include <string.h>
#include <time.h>

typedef struct {
	const char *o, *fn;
	void (*run)(void);
	unsigned long b;
	int bound;
} listener;

static const char *fault = "";
static int frame, loaves;

static void sleep_ms(long ms) {
	struct timespec rest = {ms / 1000, ms % 1000 * 1000000};
	nanosleep(&rest, 0);
}

static void counter_on_bread(void) {
	loaves++;
	opossum_watch("counter#1", "loaves", loaves);
	if (frame == 60 && !strcmp(fault, "slow")) sleep_ms(800);
	while (frame == 60 && !strcmp(fault, "loop")) sleep_ms(1);
}

static void customer_on_smell(void) {}

static listener listeners[3];
static int count;

static void listen_to(const char *o, const char *fn, void (*run)(void)) {
	listener *l = &listeners[count++];
	l->o = o, l->fn = fn, l->run = run, l->bound = 1;
	l->b = opossum_bind("bread_ready", o, fn, OPOSSUM_HERE);
}

static void emit(unsigned long s) {
	int i;
	for (i = 0; i < count; i++)
		if (listeners[i].bound) {
			unsigned long c = opossum_call(s, listeners[i].b, listeners[i].o, listeners[i].fn, OPOSSUM_HERE);
			listeners[i].run();
			opossum_ret(c, listeners[i].run == counter_on_bread);
		}
}

int main(int argc, char **argv) {
	unsigned long timer;
	if (argc > 2) fault = argv[2];
	if (argc < 2 || opossum_open(argv[1], "C bakery", 60) != 0) return 2;
	opossum_spawn("oven#1", "Oven");
	opossum_spawn("counter#1", "Counter");
	opossum_spawn("customer#1", "Customer");
	listen_to("counter#1", "counter_on_bread", counter_on_bread);
	if (!strcmp(fault, "double")) listen_to("counter#1", "counter_on_bread", counter_on_bread);
	listen_to("customer#1", "customer_on_smell", customer_on_smell);
	timer = opossum_arm("oven#1", "bread_ready", 20 / 60.0, 1);
	for (frame = 0; frame < 150; frame++) {
		opossum_frame(frame, 1 / 60.0);
		opossum_phase("timers");
		if (frame % 20 == 0) emit(opossum_send_of_arm("bread_ready", "oven#1", OPOSSUM_TIMER, timer));
		opossum_phase("update");
		if (frame == 50) {
			listener *last = &listeners[count - 1];
			if (strcmp(fault, "stale")) {
				last->bound = 0;
				opossum_unbind(last->b);
			}
			opossum_gone("customer#1");
			opossum_say("the customer goes home");
		}
		opossum_idle();
		sleep_ms(2);
	}
	opossum_disarm(timer, "cleared");
	opossum_close();
	return 0;
}
