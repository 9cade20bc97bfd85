/* What the processor did for one thread between two moments, in C.
 *
 * `thread_times.py` is the same in Python and says what each part means; where this file cannot be built, that one is used.
 * A test holds the two against each other.
 */
#define PY_SSIZE_T_CLEAN
#define _GNU_SOURCE
#include <Python.h>

#ifndef __linux__
#error "Linux tells these things so; thread_times.py is used instead"
#endif

#include <fcntl.h>
#include <sched.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <time.h>
#include <unistd.h>

#define SCHEDSTAT "/proc/thread-self/schedstat"
#define LONGEST 80 /* bytes that its three numbers take at most */
#define READY_EVERY_NS 100000000
#define QUIET_NS 1000000
#define LITTLE_NS 100000

typedef struct {
	PyObject_HEAD
	unsigned long thread, file_thread; /* 0: none */
	int file;
	long long begun_ns, cpu_ns, ready_ns, ready_at_ns;
	int busy; /* it waited for a processor lately */
	PyObject *taken; /* NULL: nobody tells what a host took */
	long long look_every_ns, looked_into_ns, look_at_ns;
	long given_up, taken_from; /* how often it gave the processor up, and was taken from it; -1: unknown */
	int began_on; /* which processor it was on when the stretch began; -1: unknown */
} ThreadTimes;

static long long now_of(clockid_t clock)
{
	struct timespec moment;
	clock_gettime(clock, &moment);
	return moment.tv_sec * 1000000000LL + moment.tv_nsec;
}

/* How often this thread gave the processor up by itself so far, and how often it was taken from it. */
static void switches(long *given_up, long *taken)
{
	struct rusage usage;
	int known = getrusage(RUSAGE_THREAD, &usage) == 0;
	*given_up = known ? usage.ru_nvcsw : -1;
	*taken = known ? usage.ru_nivcsw : -1;
}

/* How long this thread has waited for a processor so far, in ns; -1 where that is not told. */
static long long ready(ThreadTimes *self)
{
	char text[LONGEST + 1], *second, *end;
	if (self->file < 0) return -1;
	ssize_t length = pread(self->file, text, LONGEST, 0);
	if (length <= 0) return -1;
	text[length] = '\0';
	second = strchr(text, ' ');
	if (!second) return -1;
	long long told = strtoll(second, &end, 10);
	return end == second ? -1 : told;
}

/* Remember how long the thread had waited by now. */
static void keep_ready(ThreadTimes *self, long long told, long long now)
{
	self->busy = told - self->ready_ns > QUIET_NS;
	self->ready_ns = told;
	self->ready_at_ns = now + READY_EVERY_NS;
}

static void let_go(ThreadTimes *self)
{
	if (self->file >= 0) close(self->file);
	self->file = -1;
	self->file_thread = 0;
}

static PyObject *times_begin(ThreadTimes *self, PyObject *nothing)
{
	unsigned long thread = PyThread_get_thread_ident();
	long long now = now_of(CLOCK_MONOTONIC);
	if (self->taken && now >= self->look_at_ns) {
		self->look_at_ns = now + self->look_every_ns;
		PyObject *renewed = PyObject_CallMethod(self->taken, "renew", NULL);
		if (!renewed) return NULL;
		Py_DECREF(renewed);
	}
	if (thread != self->file_thread) {
		let_go(self);
		self->file_thread = thread;
		self->file = open(SCHEDSTAT, O_RDONLY | O_CLOEXEC);
		self->busy = 1;
	}
	self->thread = thread;
	if (self->busy || now >= self->ready_at_ns) keep_ready(self, ready(self), now);
	switches(&self->given_up, &self->taken_from);
	self->began_on = sched_getcpu();
	self->begun_ns = now_of(CLOCK_MONOTONIC);
	self->cpu_ns = now_of(CLOCK_THREAD_CPUTIME_ID);
	return PyLong_FromLongLong(self->begun_ns);
}

static int end_stretch(ThreadTimes *self, long long *cpu, long long *passed, long long *waited)
{
	long given_up, taken;
	if (!self->thread || self->thread != PyThread_get_thread_ident()) return 0;
	self->thread = 0;
	*cpu = now_of(CLOCK_THREAD_CPUTIME_ID) - self->cpu_ns;
	long long now = now_of(CLOCK_MONOTONIC);
	*passed = now - self->begun_ns;
	*waited = -1;
	if (*passed - *cpu < LITTLE_NS) return 1;
	switches(&given_up, &taken);
	if (given_up != self->given_up || taken != self->taken_from || self->given_up < 0) {
		long long told = ready(self);
		if (told >= 0 && self->ready_ns >= 0) *waited = told - self->ready_ns;
		if (*waited > *passed - *cpu) *waited = *passed - *cpu;
		keep_ready(self, told, now);
	}
	if (given_up == self->given_up && self->given_up >= 0 && *passed - *cpu > *waited) *waited = *passed - *cpu;
	return 1;
}

static PyObject *times_end(ThreadTimes *self, PyObject *nothing)
{
	long long cpu, passed, waited;
	if (!end_stretch(self, &cpu, &passed, &waited)) Py_RETURN_NONE;
	return Py_BuildValue("LLL", cpu, passed, waited);
}

static PyObject *times_told(ThreadTimes *self, PyObject *nothing)
{
	long long cpu, passed, waited, within = 0, beside = 0;
	char text[80];
	if (!end_stretch(self, &cpu, &passed, &waited)) return PyUnicode_FromString("");
	if (self->taken && passed >= self->looked_into_ns) {
		PyObject *taken = PyObject_CallMethod(self->taken, "of", "LLLi", cpu, passed, waited > 0 ? waited : 0, self->began_on);
		int known = taken && PyArg_ParseTuple(taken, "LL", &within, &beside);
		Py_XDECREF(taken);
		if (!known) return NULL;
	}
	if (within || beside) {
		cpu -= within;
		waited = (waited > 0 ? waited : 0) + within + beside;
	}
	snprintf(text, sizeof text, waited < 0 ? ",\"cpu\":%lld" : ",\"cpu\":%lld,\"ready\":%lld", cpu, waited);
	return PyUnicode_FromString(text);
}

static PyObject *times_close(ThreadTimes *self, PyObject *nothing)
{
	let_go(self);
	Py_RETURN_NONE;
}

static PyObject *times_new(PyTypeObject *type, PyObject *args, PyObject *keywords)
{
	static char *names[] = {"taken", "look_every_ns", "looked_into_ns", NULL};
	PyObject *taken = Py_None;
	long long look_every_ns = 0, looked_into_ns = 0;
	if (!PyArg_ParseTupleAndKeywords(args, keywords, "|OLL", names, &taken, &look_every_ns, &looked_into_ns)) return NULL;
	ThreadTimes *self = (ThreadTimes *)type->tp_alloc(type, 0);
	if (!self) return NULL;
	self->file = -1;
	self->taken = taken == Py_None ? NULL : Py_NewRef(taken);
	self->look_every_ns = look_every_ns;
	self->looked_into_ns = looked_into_ns;
	return (PyObject *)self;
}

static void times_dealloc(ThreadTimes *self)
{
	PyTypeObject *type = Py_TYPE(self);
	let_go(self);
	Py_XDECREF(self->taken);
	type->tp_free((PyObject *)self);
	Py_DECREF(type);
}

#define METHOD(name, function) {name, (PyCFunction)(void (*)(void))function, METH_NOARGS, NULL}

static PyMethodDef methods[] = {
	METHOD("begin", times_begin), METHOD("end", times_end), METHOD("told", times_told), METHOD("close", times_close),
	{NULL}};
static PyType_Slot slots[] = {
	{Py_tp_methods, methods}, {Py_tp_new, times_new}, {Py_tp_dealloc, times_dealloc}, {0, NULL}};
static PyType_Spec spec = {"opossum_recorder._thread_times.ThreadTimes", sizeof(ThreadTimes), 0, Py_TPFLAGS_DEFAULT, slots};
static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "opossum_recorder._thread_times", NULL, -1, NULL};

PyMODINIT_FUNC PyInit__thread_times(void)
{
	PyObject *made = PyModule_Create(&module), *type = made ? PyType_FromSpec(&spec) : NULL;
	if (!type || PyModule_AddObjectRef(made, "ThreadTimes", type) < 0) Py_CLEAR(made);
	Py_XDECREF(type);
	return made;
}
