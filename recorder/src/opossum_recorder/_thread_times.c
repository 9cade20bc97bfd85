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
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <time.h>
#include <unistd.h>

#define SCHEDSTAT "/proc/thread-self/schedstat"
#define LONGEST 80 /* bytes that its three numbers take at most */

typedef struct {
	PyObject_HEAD
	unsigned long thread, file_thread; /* 0: none */
	int file;
	long long begun_ns, cpu_ns, ready_ns;
	long given_up;
} ThreadTimes;

static long long now_of(clockid_t clock)
{
	struct timespec moment;
	clock_gettime(clock, &moment);
	return moment.tv_sec * 1000000000LL + moment.tv_nsec;
}

/* How often this thread gave the processor up by itself so far. */
static long given_up(void)
{
	struct rusage usage;
	return getrusage(RUSAGE_THREAD, &usage) == 0 ? usage.ru_nvcsw : -1;
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

static void let_go(ThreadTimes *self)
{
	if (self->file >= 0) close(self->file);
	self->file = -1;
	self->file_thread = 0;
}

static PyObject *times_begin(ThreadTimes *self, PyObject *nothing)
{
	unsigned long thread = PyThread_get_thread_ident();
	if (thread != self->file_thread) {
		let_go(self);
		self->file_thread = thread;
		self->file = open(SCHEDSTAT, O_RDONLY | O_CLOEXEC);
	}
	self->thread = thread;
	self->ready_ns = ready(self);
	self->given_up = given_up();
	self->begun_ns = now_of(CLOCK_MONOTONIC);
	self->cpu_ns = now_of(CLOCK_THREAD_CPUTIME_ID);
	return PyLong_FromLongLong(self->begun_ns);
}

static PyObject *times_end(ThreadTimes *self, PyObject *nothing)
{
	if (!self->thread || self->thread != PyThread_get_thread_ident()) Py_RETURN_NONE;
	self->thread = 0;
	long long cpu = now_of(CLOCK_THREAD_CPUTIME_ID) - self->cpu_ns, passed = now_of(CLOCK_MONOTONIC) - self->begun_ns;
	long long told = ready(self), waited = told < 0 || self->ready_ns < 0 ? -1 : told - self->ready_ns;
	if (self->given_up >= 0 && given_up() == self->given_up && passed - cpu > waited) waited = passed - cpu;
	return Py_BuildValue("LLL", cpu, passed, waited);
}

static PyObject *times_close(ThreadTimes *self, PyObject *nothing)
{
	let_go(self);
	Py_RETURN_NONE;
}

static PyObject *times_new(PyTypeObject *type, PyObject *args, PyObject *keywords)
{
	ThreadTimes *self = (ThreadTimes *)type->tp_alloc(type, 0);
	if (self) self->file = -1;
	return (PyObject *)self;
}

static void times_dealloc(ThreadTimes *self)
{
	PyTypeObject *type = Py_TYPE(self);
	let_go(self);
	type->tp_free((PyObject *)self);
	Py_DECREF(type);
}

#define METHOD(name, function) {name, (PyCFunction)(void (*)(void))function, METH_NOARGS, NULL}

static PyMethodDef methods[] = {
	METHOD("begin", times_begin), METHOD("end", times_end), METHOD("close", times_close), {NULL}};
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
