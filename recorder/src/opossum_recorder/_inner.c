/* The recorder's inner half in C: what runs at every send, call, return and frame.
 *
 * `inner.py` is the same in Python and says what each part means; where this file cannot be built, that one is used.
 * A test holds the two against each other, line by line.
 *
 * A line is put together only when everything that needs Python (escaping a new text, a clock of the game's own) is
 * done, so nothing comes between its time and its place in the stream.  It is copied straight into the mapped file
 * where the sink lends its memory: then it survives the game's death without a system call.
 *
 * One file, long as it is: an extension of several would have to export its insides.
 */
#define PY_SSIZE_T_CLEAN
#include <Python.h>
#include <structmember.h>
#include <math.h>
#include <string.h>
#include <time.h>

#ifdef Py_GIL_DISABLED
#error "written for an interpreter with a lock; inner.py is used instead"
#endif

#define MOST_PENDING 512
#define MOST_TEXTS 50000
#define LONGEST_NAME 1000 /* longer texts are cut, and not remembered */
#define MOST_OWNERS 4096
#define MOST_CHANGES (1LL << 40)
#define LARGEST_NUMBER 1000000000000LL
#define ROOM 512 /* bytes of a line beside its texts */

typedef struct Thread {
	struct Thread *next;
	uint64_t id; /* of the interpreter's thread state: never used twice */
	struct Call **calls;
	Py_ssize_t count, room;
	char *suffix;
	size_t suffix_length;
} Thread;

typedef struct {
	PyObject_HEAD
	PyObject *clock;  /* NULL: the monotonic clock */
	PyObject *quoted; /* text -> JSON, bytes */
	PyObject *sink;
	PyObject *after_return;
	PyObject *waiting_phases, *begin_measuring, *end_measuring, *steps;
	double moves_since_s, look_again_s; /* the first not a number: it waits */
	Thread *threads, *main, *last;
	Py_buffer memory;
	size_t used;
	char *pending, *line, *told;
	size_t pending_length, pending_room, line_room, told_room;
	Py_ssize_t pending_lines;
	long long pending_told; /* losses that pending lines tell of */
	long long origin, lost, untold, sends, calls;
	char lent, busy, closed, watched, waits, in_wait;
} Inner;

typedef struct Call {
	PyObject_HEAD
	Inner *inner;
	Thread *thread;
	long long id, changes, own, sends;
} Call;

typedef struct {
	PyObject_HEAD
	Inner *inner;
} FrameContext;

typedef struct {
	PyObject_HEAD
	long long count, next, unjudged;
} Sample;

typedef struct {
	PyCodeObject *code;
	PyObject *event;
} Turn;

typedef struct {
	PyObject_HEAD
	Inner *inner;
	PyObject *elsewhere, *ran, *sends, *event;
	Turn *turns;
	size_t count, room;
} LoopTurns;

typedef struct {
	PyObject_HEAD
	vectorcallfunc vectorcall;
	LoopTurns *turns;
	PyObject *function, *number, *known, *owner, *runs, *find, *weak;
	char is_method;
} LoopFunction;

typedef struct {
	PyObject_HEAD
	vectorcallfunc vectorcall;
	Inner *inner;
	PyObject *sends, *tail, *method, *slow, *name;
	Sample *sample;
} Runner;

static PyObject *run(PyObject *, PyObject *const *, size_t, PyObject *);
static PyObject *call_in_turn(PyObject *, PyObject *const *, size_t, PyObject *);
static PyTypeObject *call_type, *sample_type, *runner_type, *context_type, *inner_type, *turns_type, *function_type;
static PyObject *quote, *data_text, *error_text, *field_text, *step_texts, *thread_suffix, *perf_counter_ns;
static PyObject *attributes_name, *asked_name, *read_name, *look_again_name, *idle_name, *send_name, *tick_text, *by_via;

/* --- lines -------------------------------------------------------------------------------------------- */

static char *put_text(char *at, const char *text, size_t length)
{
	memcpy(at, text, length);
	return at + length;
}
#define PUT(at, literal) put_text(at, literal, sizeof(literal) - 1)

static char *put_number(char *at, long long value)
{
	char digits[24];
	int count = 0;
	unsigned long long rest = value < 0 ? 0ULL - (unsigned long long)value : (unsigned long long)value;
	do {
		digits[count++] = (char)('0' + rest % 10);
		rest /= 10;
	} while (rest);
	if (value < 0) *at++ = '-';
	while (count) *at++ = digits[--count];
	return at;
}

static char *put_bytes(char *at, PyObject *bytes)
{
	return put_text(at, PyBytes_AS_STRING(bytes), (size_t)PyBytes_GET_SIZE(bytes));
}

static int room_for(char **buffer, size_t *room, size_t wanted)
{
	if (wanted <= *room) return 0;
	size_t larger = wanted + wanted / 2 + 4096;
	char *grown = PyMem_RawRealloc(*buffer, larger);
	if (!grown) {
		PyErr_NoMemory();
		return -1;
	}
	*buffer = grown;
	*room = larger;
	return 0;
}

/* Let go of an error; what the user ends the game by comes again where the game's own code runs. */
static void forget_error(void)
{
	if (PyErr_Occurred() && PyErr_ExceptionMatches(PyExc_KeyboardInterrupt)) PyErr_SetInterrupt();
	PyErr_Clear();
}

static void drop(Inner *self)
{
	forget_error();
	self->lost++;
	self->untold++;
}

static int now(Inner *self, long long *t)
{
	if (self->clock) {
		PyObject *value = PyObject_CallNoArgs(self->clock);
		if (!value) return -1;
		*t = PyLong_AsLongLong(value) - self->origin;
		Py_DECREF(value);
		return PyErr_Occurred() ? -1 : 0;
	}
	struct timespec moment;
	clock_gettime(CLOCK_MONOTONIC, &moment);
	*t = moment.tv_sec * 1000000000LL + moment.tv_nsec - self->origin;
	return 0;
}

/* Take the sink's memory on loan, if it has any to lend. */
static void borrow(Inner *self)
{
	PyObject *lent = PyObject_CallMethod(self->sink, "lend", NULL);
	if (lent && PyTuple_Check(lent)
		&& PyObject_GetBuffer(PyTuple_GET_ITEM(lent, 0), &self->memory, PyBUF_WRITABLE) == 0) {
		self->used = (size_t)PyLong_AsSize_t(PyTuple_GET_ITEM(lent, 1));
		self->lent = 1;
	}
	Py_XDECREF(lent);
	PyErr_Clear(); /* a sink that lends nothing is given the lines */
}

static void give_back(Inner *self)
{
	if (!self->lent) return;
	self->lent = 0;
	PyBuffer_Release(&self->memory);
	PyObject *result = PyObject_CallMethod(self->sink, "taken_back", "n", (Py_ssize_t)self->used);
	Py_XDECREF(result);
	PyErr_Clear();
}

/* Have the sink write lines itself; others' lines wait meanwhile. */
static void hand_to_sink(Inner *self, const char *data, size_t length, Py_ssize_t lines, long long told)
{
	PyObject *bytes = PyBytes_FromStringAndSize(data, (Py_ssize_t)length);
	self->busy = 1;
	give_back(self);
	PyObject *written = bytes ? PyObject_CallMethod(self->sink, "write", "O", bytes) : NULL;
	if (!written || !PyObject_IsTrue(written)) {
		self->lost += lines;
		self->untold += lines + told;
	}
	Py_XDECREF(written);
	Py_XDECREF(bytes);
	forget_error();
	if (!self->closed) borrow(self);
	self->busy = 0;
}

static void flush(Inner *self)
{
	while (self->pending_length && self->sink && !self->busy) {
		char *data = self->pending;
		size_t length = self->pending_length;
		Py_ssize_t lines = self->pending_lines;
		long long told = self->pending_told;
		self->pending_told = 0;
		self->pending = NULL;
		self->pending_length = self->pending_room = 0;
		self->pending_lines = 0;
		hand_to_sink(self, data, length, lines, told);
		PyMem_RawFree(data);
	}
}

/* `told`: how many losses the line tells of; it is no record then, but to be told of again if it is lost itself. */
static void emit_telling(Inner *self, const char *data, size_t length, long long told)
{
	if (self->closed) {
		drop(self);
		return;
	}
	if (self->lent && !self->busy) {
		if (self->used + length <= (size_t)self->memory.len) {
			memcpy((char *)self->memory.buf + self->used, data, length);
			self->used += length;
			return;
		}
		hand_to_sink(self, data, length, told ? 0 : 1, told);
		flush(self);
		return;
	}
	if (room_for(&self->pending, &self->pending_room, self->pending_length + length) < 0) {
		drop(self);
		return;
	}
	memcpy(self->pending + self->pending_length, data, length);
	self->pending_length += length;
	self->pending_told += told;
	self->pending_lines += told ? 0 : 1;
	if (self->pending_lines > MOST_PENDING) flush(self);
}

static void emit(Inner *self, const char *data, size_t length) { emit_telling(self, data, length, 0); }

static void tell_lost(Inner *self, Thread *thread, long long t)
{
	if (!self->untold || self->closed || self->busy) return;
	if (room_for(&self->told, &self->told_room, thread->suffix_length + ROOM) < 0) {
		PyErr_Clear(); /* to be told of later */
		return;
	}
	char *at = PUT(self->told, "{\"k\":\"lost\",\"t\":");
	at = put_number(at, t);
	at = PUT(at, ",\"n\":");
	at = put_number(at, self->untold);
	at = put_text(at, thread->suffix, thread->suffix_length);
	long long told = self->untold;
	self->untold = 0;
	emit_telling(self, self->told, (size_t)(at - self->told), told);
}

/* --- texts and threads ---------------------------------------------------------------------------------- */

/* A new reference to a text's JSON as bytes. */
static PyObject *quoted_text(Inner *self, PyObject *text)
{
	int remembered = PyUnicode_CheckExact(text) && PyUnicode_GET_LENGTH(text) <= LONGEST_NAME;
	if (remembered) {
		PyObject *known = PyDict_GetItemWithError(self->quoted, text);
		if (known) return Py_NewRef(known);
		if (PyErr_Occurred()) return NULL;
	} else if (!PyUnicode_CheckExact(text) && PyObject_Hash(text) == -1)
		return NULL; /* lists and the like are no names */
	PyObject *made = PyObject_CallOneArg(quote, text);
	PyObject *bytes = made ? PyUnicode_AsASCIIString(made) : NULL;
	Py_XDECREF(made);
	if (bytes && remembered) {
		if (PyDict_GET_SIZE(self->quoted) >= MOST_TEXTS) PyDict_Clear(self->quoted);
		if (PyDict_SetItem(self->quoted, text, bytes) < 0) Py_CLEAR(bytes);
	}
	return bytes;
}

static PyObject *plain_bytes(PyObject *text)
{
	PyObject *bytes = text && PyUnicode_Check(text) ? PyUnicode_AsUTF8String(text) : NULL;
	if (!bytes && !PyErr_Occurred()) PyErr_SetString(PyExc_TypeError, "a text is needed");
	return bytes;
}

static Thread *this_thread(Inner *self)
{
	uint64_t id = PyThreadState_GetID(PyThreadState_Get());
	if (self->last && self->last->id == id) return self->last;
	for (Thread *thread = self->threads; thread; thread = thread->next)
		if (thread->id == id) return self->last = thread;
	PyObject *suffix = PyObject_CallNoArgs(thread_suffix);
	PyObject *bytes = plain_bytes(suffix);
	Py_XDECREF(suffix);
	Thread *thread = bytes ? PyMem_RawCalloc(1, sizeof(Thread)) : NULL;
	char *text = thread ? PyMem_RawMalloc((size_t)PyBytes_GET_SIZE(bytes)) : NULL;
	if (!text) {
		PyMem_RawFree(thread);
		Py_XDECREF(bytes);
		return NULL;
	}
	thread->suffix_length = (size_t)PyBytes_GET_SIZE(bytes);
	thread->suffix = memcpy(text, PyBytes_AS_STRING(bytes), thread->suffix_length);
	thread->id = id;
	thread->next = self->threads;
	Py_DECREF(bytes);
	return self->last = self->threads = thread;
}

static int push(Thread *thread, Call *call)
{
	if (thread->count == thread->room) {
		Py_ssize_t room = thread->room ? 2 * thread->room : 16;
		Call **calls = PyMem_RawRealloc(thread->calls, (size_t)room * sizeof(Call *));
		if (!calls) {
			PyErr_NoMemory();
			return -1;
		}
		thread->calls = calls;
		thread->room = room;
	}
	thread->calls[thread->count++] = (Call *)Py_NewRef((PyObject *)call);
	return 0;
}

static void pop_to(Thread *thread, Call *call)
{
	int found = 0;
	while (thread->count && !found) {
		Call *last = thread->calls[--thread->count];
		found = last == call;
		Py_DECREF((PyObject *)last);
	}
}

/* --- the records ---------------------------------------------------------------------------------------- */

static Call *new_call(Inner *self, Thread *thread)
{
	Call *call = PyObject_New(Call, call_type);
	if (!call) return NULL;
	call->inner = (Inner *)Py_NewRef((PyObject *)self);
	call->thread = thread;
	call->id = ++self->calls;
	call->changes = call->own = -1;
	call->sends = 0;
	return call;
}

/* `tail` is all that follows the send's number: who is called. */
static int begin_call(Inner *self, Call *call, long long s, const char *tail, size_t tail_length)
{
	Thread *thread = call->thread;
	long long t;
	if (s < 1) {
		PyErr_SetString(PyExc_ValueError, "a send is needed");
		return -1;
	}
	if (!thread || now(self, &t) < 0
		|| room_for(&self->line, &self->line_room, tail_length + thread->suffix_length + ROOM) < 0)
		return -1;
	tell_lost(self, thread, t);
	char *at = PUT(self->line, "{\"k\":\"call\",\"t\":");
	at = put_number(at, t);
	at = PUT(at, ",\"c\":");
	at = put_number(at, call->id);
	at = PUT(at, ",\"s\":");
	at = put_number(at, s);
	at = put_text(at, tail, tail_length);
	at = put_text(at, thread->suffix, thread->suffix_length);
	emit(self, self->line, (size_t)(at - self->line));
	return push(thread, call);
}

static void end_call(Inner *self, Call *call, PyObject *error)
{
	Thread *thread = call->thread;
	PyObject *told = NULL;
	long long t;
	if (thread) pop_to(thread, call);
	if (error && error != Py_None) {
		PyObject *text = PyObject_CallOneArg(error_text, error);
		told = plain_bytes(text);
		Py_XDECREF(text);
	}
	size_t length = told ? (size_t)PyBytes_GET_SIZE(told) : 0;
	if (PyErr_Occurred() || !thread || now(self, &t) < 0
		|| room_for(&self->line, &self->line_room, length + thread->suffix_length + ROOM) < 0)
		drop(self);
	else {
		tell_lost(self, thread, t);
		char *at = PUT(self->line, "{\"k\":\"ret\",\"t\":");
		at = put_number(at, t);
		at = PUT(at, ",\"c\":");
		at = put_number(at, call->id);
		if (call->changes >= 0) {
			at = PUT(at, ",\"eff\":");
			at = put_number(at, call->changes + call->sends);
		}
		if (call->own >= 0) {
			at = PUT(at, ",\"own\":");
			at = put_number(at, call->own + call->sends);
		}
		if (told) at = put_bytes(at, told);
		at = put_text(at, thread->suffix, thread->suffix_length);
		emit(self, self->line, (size_t)(at - self->line));
	}
	Py_XDECREF(told);
}

/* A text that Python made, as it stands in a line; it lives as long as the text. */
typedef struct {
	const char *text;
	size_t length;
} Part;

static Part part_of(PyObject *text)
{
	Py_ssize_t length = 0;
	const char *bytes = text && PyUnicode_Check(text) ? PyUnicode_AsUTF8AndSize(text, &length) : NULL;
	if (!bytes && !PyErr_Occurred()) PyErr_SetString(PyExc_TypeError, "a text is needed");
	return (Part){bytes, (size_t)length};
}

/* One record of a kind, with fields in two parts; where an error was raised before, it is lost. */
static void put_record(Inner *self, Part kind, Part fields, Part more)
{
	Thread *thread = PyErr_Occurred() ? NULL : this_thread(self);
	long long t;
	if (!thread || now(self, &t) < 0
		|| room_for(&self->line, &self->line_room,
			   kind.length + fields.length + more.length + thread->suffix_length + ROOM) < 0) {
		drop(self);
		return;
	}
	tell_lost(self, thread, t);
	char *at = PUT(self->line, "{\"k\":\"");
	at = put_text(at, kind.text, kind.length);
	at = PUT(at, "\",\"t\":");
	at = put_number(at, t);
	at = put_text(at, fields.text, fields.length);
	at = put_text(at, more.text, more.length);
	at = put_text(at, thread->suffix, thread->suffix_length);
	emit(self, self->line, (size_t)(at - self->line));
}
#define PART(literal) ((Part){literal, sizeof(literal) - 1})
#define NOTHING ((Part){"", 0})

static PyObject *inner_put(Inner *self, PyObject *const *args, Py_ssize_t count)
{
	Part kind = part_of(count == 2 ? args[0] : NULL), fields = kind.text ? part_of(args[1]) : NOTHING;
	put_record(self, kind, fields, NOTHING);
	Py_RETURN_NONE;
}

/* Sort arguments given by place or by name into `found`, whose names are `names`; others go to `more`, if there is one. */
static int sorted_arguments(PyObject *const *args, Py_ssize_t count, PyObject *keywords, const char *const *names,
	Py_ssize_t by_place, Py_ssize_t known, PyObject **found, PyObject **more)
{
	if (count > by_place) {
		PyErr_SetString(PyExc_TypeError, "too many arguments");
		return -1;
	}
	for (Py_ssize_t place = 0; place < count; place++) found[place] = args[place];
	for (Py_ssize_t index = 0; keywords && index < PyTuple_GET_SIZE(keywords); index++) {
		PyObject *name = PyTuple_GET_ITEM(keywords, index), *value = args[count + index];
		Py_ssize_t place = 0;
		while (place < known && PyUnicode_CompareWithASCIIString(name, names[place])) place++;
		if (place < known && !found[place])
			found[place] = value;
		else if (place < known || !more) {
			PyErr_Format(PyExc_TypeError, "unexpected argument %R", name);
			return -1;
		} else if ((!*more && !(*more = PyDict_New())) || PyDict_SetItem(*more, name, value) < 0)
			return -1;
	}
	return 0;
}

static int is_something(PyObject *text)
{
	if (!text || text == Py_None) return 0;
	return PyUnicode_Check(text) ? PyUnicode_GET_LENGTH(text) > 0 : PyObject_IsTrue(text);
}

static PyObject *inner_send(Inner *self, PyObject *const *args, Py_ssize_t count, PyObject *keywords)
{
	static const char *const names[] = {"ev", "o", "via", "d"};
	PyObject *found[4] = {NULL}, *more = NULL, *texts[5] = {NULL};
	if (sorted_arguments(args, count, keywords, names, 2, 4, found, &more) < 0 || !found[0]) {
		Py_XDECREF(more);
		if (!PyErr_Occurred()) PyErr_SetString(PyExc_TypeError, "an event is needed");
		return NULL;
	}
	long long number = ++self->sends, t;
	Thread *thread = this_thread(self);
	long long cause = 0; /* its number, not the call: Python runs below, and may end it */
	if (thread && thread->count) {
		Call *call = thread->calls[thread->count - 1];
		cause = call->id;
		call->sends++;
	}
	int failed = !thread || !(texts[0] = quoted_text(self, found[0]));
	if (!failed && is_something(found[1])) failed = !(texts[1] = quoted_text(self, found[1]));
	if (!failed && is_something(found[2])) failed = !(texts[2] = quoted_text(self, found[2]));
	if (!failed && found[3] && found[3] != Py_None) {
		PyObject *text = PyObject_CallOneArg(data_text, found[3]);
		failed = !(texts[3] = plain_bytes(text));
		Py_XDECREF(text);
	}
	if (!failed && more) {
		PyObject *text = PyObject_CallMethod((PyObject *)self, "_fields", "O", more);
		failed = !(texts[4] = plain_bytes(text));
		Py_XDECREF(text);
	}
	size_t length = 0;
	for (int index = 0; index < 5; index++) length += texts[index] ? (size_t)PyBytes_GET_SIZE(texts[index]) : 0;
	if (failed || PyErr_Occurred() || now(self, &t) < 0
		|| room_for(&self->line, &self->line_room, length + thread->suffix_length + ROOM) < 0)
		drop(self);
	else {
		tell_lost(self, thread, t);
		char *at = PUT(self->line, "{\"k\":\"send\",\"t\":");
		at = put_number(at, t);
		at = PUT(at, ",\"s\":");
		at = put_number(at, number);
		at = PUT(at, ",\"ev\":");
		at = put_bytes(at, texts[0]);
		if (texts[1]) at = put_bytes(PUT(at, ",\"o\":"), texts[1]);
		if (cause) at = put_number(PUT(at, ",\"c\":"), cause);
		if (texts[2]) at = put_bytes(PUT(at, ",\"via\":"), texts[2]);
		if (texts[3]) at = put_bytes(PUT(at, ",\"d\":"), texts[3]);
		if (texts[4]) at = put_bytes(at, texts[4]);
		at = put_text(at, thread->suffix, thread->suffix_length);
		emit(self, self->line, (size_t)(at - self->line));
	}
	for (int index = 0; index < 5; index++) Py_XDECREF(texts[index]);
	Py_XDECREF(more);
	return PyLong_FromLongLong(number);
}

/* What follows a call's send in its line, as bytes: listener, owner, function, place. */
static PyObject *tail_of(Inner *self, PyObject *b, PyObject *o, PyObject *fn, PyObject *at_place)
{
	long long bound = b && is_something(b) == 1 ? PyLong_AsLongLong(b) : 0;
	if (bound < 0 && !PyErr_Occurred()) PyErr_SetString(PyExc_ValueError, "a listener's number is needed");
	PyObject *owner = PyErr_Occurred() ? NULL : quoted_text(self, o), *function = owner ? quoted_text(self, fn) : NULL;
	PyObject *place = NULL, *tail = NULL;
	if (function && is_something(at_place)) place = quoted_text(self, at_place);
	if (function && !PyErr_Occurred()) {
		size_t length = (size_t)(PyBytes_GET_SIZE(owner) + PyBytes_GET_SIZE(function));
		tail = PyBytes_FromStringAndSize(NULL, (Py_ssize_t)(length + (place ? (size_t)PyBytes_GET_SIZE(place) : 0) + 64));
	}
	if (tail) {
		char *start = PyBytes_AS_STRING(tail), *at = start;
		if (bound) at = put_number(PUT(at, ",\"b\":"), bound);
		at = put_bytes(PUT(at, ",\"o\":"), owner);
		at = put_bytes(PUT(at, ",\"fn\":"), function);
		if (place) at = put_bytes(PUT(at, ",\"at\":"), place);
		_PyBytes_Resize(&tail, at - start);
	}
	Py_XDECREF(owner);
	Py_XDECREF(function);
	Py_XDECREF(place);
	return tail;
}

static PyObject *inner_call(Inner *self, PyObject *const *args, Py_ssize_t count, PyObject *keywords)
{
	static const char *const names[] = {"s", "b", "o", "fn", "at"};
	PyObject *found[5] = {NULL};
	if (sorted_arguments(args, count, keywords, names, 5, 5, found, NULL) < 0) return NULL;
	if (!found[0] || !found[1] || !found[2] || !found[3]) {
		PyErr_SetString(PyExc_TypeError, "a send, a listener or None, an owner and a function are needed");
		return NULL;
	}
	Call *call = new_call(self, this_thread(self));
	if (!call) return NULL;
	PyObject *tail = PyErr_Occurred() ? NULL : tail_of(self, found[1], found[2], found[3], found[4]);
	long long s = tail ? PyLong_AsLongLong(found[0]) : 0;
	if (!tail || PyErr_Occurred()
		|| begin_call(self, call, s, PyBytes_AS_STRING(tail), (size_t)PyBytes_GET_SIZE(tail)) < 0)
		drop(self);
	Py_XDECREF(tail);
	if (!self->waits) flush(self);
	return (PyObject *)call;
}

/* --- the loop ------------------------------------------------------------------------------------------- */

static double monotonic_s(void)
{
	struct timespec moment;
	clock_gettime(CLOCK_MONOTONIC, &moment);
	return (double)moment.tv_sec + 1e-9 * (double)moment.tv_nsec;
}

/* From here on the game's thread must move on, or waits, as it may. */
static void watch(Inner *self, int moves)
{
	double now_s = monotonic_s();
	self->moves_since_s = moves ? now_s : NAN;
	if (!(now_s > self->look_again_s)) return;
	PyObject *result = PyObject_CallMethodOneArg((PyObject *)self, look_again_name, moves ? Py_True : Py_False);
	Py_XDECREF(result);
	forget_error();
}

static PyObject *inner_watch_on(Inner *self, PyObject *nothing)
{
	watch(self, 1);
	Py_RETURN_NONE;
}

static PyObject *inner_watch_off(Inner *self, PyObject *nothing)
{
	watch(self, 0);
	Py_RETURN_NONE;
}

static PyObject *inner_look_again(Inner *self, PyObject *moves) { Py_RETURN_NONE; }

static PyObject *inner_tell_of_frames(Inner *self, PyObject *const *args, Py_ssize_t count)
{
	PyObject *phases = count == 2 ? PyFrozenSet_New(args[0]) : NULL, *begin = NULL, *end = NULL;
	if (phases && args[1] != Py_None) {
		begin = PyObject_GetAttrString(args[1], "begin");
		end = begin ? PyObject_GetAttrString(args[1], "told") : NULL;
	}
	if (!phases || PyErr_Occurred()) {
		Py_XDECREF(phases);
		Py_XDECREF(begin);
		if (!PyErr_Occurred()) PyErr_SetString(PyExc_TypeError, "phases that wait and who measures, or None, are needed");
		return NULL;
	}
	Py_XSETREF(self->waiting_phases, phases);
	Py_XSETREF(self->begin_measuring, begin);
	Py_XSETREF(self->end_measuring, end);
	Py_RETURN_NONE;
}

/* A new reference to the field that tells how long a frame is. */
static PyObject *step_text(Inner *self, PyObject *dt)
{
	if (!dt || dt == Py_None) return PyUnicode_FromStringAndSize(NULL, 0);
	if (!PyFloat_CheckExact(dt)) return PyObject_CallFunction(field_text, "sO", "dt", dt);
	PyObject *known = PyDict_GetItemWithError(self->steps, dt);
	return known ? Py_NewRef(known) : PyErr_Occurred() ? NULL : PyObject_GetItem(self->steps, dt);
}

static PyObject *inner_frame(Inner *self, PyObject *const *args, Py_ssize_t count, PyObject *keywords)
{
	static const char *const names[] = {"number", "dt"};
	PyObject *found[2] = {NULL}, *begun = NULL, *step = NULL, *told = NULL;
	if (sorted_arguments(args, count, keywords, names, 2, 2, found, NULL) < 0) return NULL;
	if (!found[0]) {
		PyErr_SetString(PyExc_TypeError, "a frame's number is needed");
		return NULL;
	}
	FrameContext *context = PyObject_New(FrameContext, context_type);
	if (!context) return NULL;
	context->inner = (Inner *)Py_NewRef((PyObject *)self);
	if (self->begin_measuring) begun = PyObject_CallNoArgs(self->begin_measuring);
	if (!PyErr_Occurred()) step = step_text(self, found[1]);
	Part steps = step ? part_of(step) : NOTHING, number = NOTHING;
	char digits[40];
	int overflow = 0;
	long long plain = PyLong_CheckExact(found[0]) ? PyLong_AsLongLongAndOverflow(found[0], &overflow) : -1;
	if (!overflow && plain >= 0 && plain <= LARGEST_NUMBER)
		number = (Part){digits, (size_t)(put_number(PUT(digits, ",\"n\":"), plain) - digits)};
	else if (!PyErr_Occurred() && (told = PyObject_CallFunction(field_text, "sOs", "n", found[0], "frame")))
		number = part_of(told);
	put_record(self, PART("frame"), number, steps);
	Py_XDECREF(begun);
	Py_XDECREF(step);
	Py_XDECREF(told);
	self->in_wait = 0;
	watch(self, 1);
	return (PyObject *)context;
}

/* Have what Opossum asks for read before the frame ends. */
static void read_what_is_asked(Inner *self)
{
	PyObject *attributes = PyObject_GetAttr((PyObject *)self, attributes_name);
	PyObject *asked = attributes ? PyObject_GetAttr(attributes, asked_name) : NULL;
	if (asked && PyObject_IsTrue(asked) == 1) {
		PyObject *result = PyObject_CallMethodNoArgs(attributes, read_name);
		Py_XDECREF(result);
	}
	Py_XDECREF(asked);
	Py_XDECREF(attributes);
}

static PyObject *inner_idle(Inner *self, PyObject *nothing)
{
	read_what_is_asked(self);
	PyObject *told = self->end_measuring && !PyErr_Occurred() ? PyObject_CallNoArgs(self->end_measuring) : NULL;
	Part fields = told ? part_of(told) : NOTHING;
	put_record(self, PART("idle"), fields, NOTHING);
	Py_XDECREF(told);
	watch(self, 0);
	flush(self);
	Py_RETURN_NONE;
}

static PyObject *inner_phase(Inner *self, PyObject *name)
{
	int is_text = PyUnicode_CheckExact(name);
	PyObject *quoted = NULL, *told = NULL;
	if (is_text && PyUnicode_GET_LENGTH(name)) {
		quoted = quoted_text(self, name);
		Part bytes = quoted ? (Part){PyBytes_AS_STRING(quoted), (size_t)PyBytes_GET_SIZE(quoted)} : NOTHING;
		put_record(self, PART("phase"), PART(",\"name\":"), bytes);
	} else {
		told = PyObject_CallFunction(field_text, "sOs", "name", name, "phase");
		put_record(self, PART("phase"), told ? part_of(told) : NOTHING, NOTHING);
	}
	Py_XDECREF(quoted);
	Py_XDECREF(told);
	int waits = is_text && self->waiting_phases && PySet_Contains(self->waiting_phases, name) == 1;
	if (waits != self->in_wait) {
		self->in_wait = (char)waits;
		watch(self, !waits);
	}
	Py_RETURN_NONE;
}

static PyObject *inner_moves_since(Inner *self, void *nothing)
{
	if (isnan(self->moves_since_s)) Py_RETURN_NONE;
	return PyFloat_FromDouble(self->moves_since_s);
}

static PyObject *context_enter(FrameContext *self, PyObject *nothing) { Py_RETURN_NONE; }

static PyObject *context_exit(FrameContext *self, PyObject *const *args, Py_ssize_t count)
{
	if (count && args[0] != Py_None) Py_RETURN_NONE;
	return PyObject_CallMethodNoArgs((PyObject *)self->inner, idle_name);
}

static void context_dealloc(FrameContext *self)
{
	PyTypeObject *type = Py_TYPE(self);
	Py_DECREF((PyObject *)self->inner);
	PyObject_Free(self);
	Py_DECREF(type);
}

/* --- going on ------------------------------------------------------------------------------------------- */

static long long number_of_changes(PyObject *value)
{
	long long number = PyLong_AsLongLong(value);
	if (number < -MOST_CHANGES || number > MOST_CHANGES) {
		PyErr_SetString(PyExc_ValueError, "no game changes so much");
		return -1;
	}
	return number;
}

static PyObject *inner_changed(Inner *self, PyObject *const *args, Py_ssize_t count)
{
	Thread *thread = this_thread(self);
	long long changes = count && thread && thread->count ? number_of_changes(args[0]) : 1;
	if (!thread || PyErr_Occurred())
		drop(self);
	else if (thread->count) {
		Call *call = thread->calls[thread->count - 1];
		call->changes = call->changes < 0 ? changes : call->changes + changes;
	}
	Py_RETURN_NONE;
}

static PyObject *top_of(Thread *thread)
{
	if (thread && thread->count) return PyLong_FromLongLong(thread->calls[thread->count - 1]->id);
	PyErr_Clear();
	Py_RETURN_NONE;
}

static PyObject *inner_current_call(Inner *self, PyObject *nothing) { return top_of(this_thread(self)); }
static PyObject *inner_main_call(Inner *self, PyObject *nothing) { return top_of(self->main); }

static PyObject *inner_now_ns(Inner *self, PyObject *nothing)
{
	long long t;
	return now(self, &t) < 0 ? NULL : PyLong_FromLongLong(t);
}

static PyObject *inner_flush(Inner *self, PyObject *nothing)
{
	flush(self);
	Py_RETURN_NONE;
}

static PyObject *inner_drop(Inner *self, PyObject *nothing)
{
	drop(self);
	Py_RETURN_NONE;
}

static PyObject *inner_take_untold(Inner *self, PyObject *nothing)
{
	long long untold = self->untold;
	self->untold = 0;
	return PyLong_FromLongLong(untold);
}

static PyObject *inner_attach(Inner *self, PyObject *sink)
{
	Py_XSETREF(self->sink, Py_NewRef(sink));
	PyObject *at_once = PyObject_GetAttrString(sink, "at_once");
	self->waits = at_once == Py_False;
	Py_XDECREF(at_once);
	PyErr_Clear();
	borrow(self);
	Py_RETURN_NONE;
}

static PyObject *inner_detach(Inner *self, PyObject *nothing)
{
	flush(self);
	self->closed = 1;
	give_back(self);
	Py_RETURN_NONE;
}

/* In a process that was forked off: the file is its parent's. */
static PyObject *inner_silence(Inner *self, PyObject *nothing)
{
	self->closed = 1;
	if (self->lent) PyBuffer_Release(&self->memory);
	self->lent = 0;
	self->pending_length = 0;
	self->pending_lines = 0;
	Py_RETURN_NONE;
}

static PyObject *inner_runner(Inner *self, PyObject *const *args, Py_ssize_t count)
{
	if (count != 8 || !PyList_Check(args[0]) || !Py_IS_TYPE(args[6], sample_type)) {
		PyErr_SetString(PyExc_TypeError, "sends, b, o, fn, at, method, sample and the slow way are needed");
		return NULL;
	}
	PyObject *tail = tail_of(self, args[1], args[2], args[3], args[4]);
	Runner *runner = tail ? PyObject_GC_New(Runner, runner_type) : NULL;
	if (!runner) {
		Py_XDECREF(tail);
		return NULL;
	}
	runner->vectorcall = run;
	runner->inner = (Inner *)Py_NewRef((PyObject *)self);
	runner->sends = Py_NewRef(args[0]);
	runner->tail = tail;
	runner->method = Py_NewRef(args[5]);
	runner->sample = (Sample *)Py_NewRef(args[6]);
	runner->slow = Py_NewRef(args[7]);
	runner->name = PyObject_GetAttrString(args[5], "__name__");
	if (!runner->name) {
		PyErr_Clear();
		runner->name = PyUnicode_FromString("listener");
	}
	PyObject_GC_Track((PyObject *)runner);
	return (PyObject *)runner;
}

static int inner_init(Inner *self, PyObject *args, PyObject *keywords)
{
	PyObject *clock;
	if (!PyArg_ParseTuple(args, "O", &clock)) return -1;
	if (clock != perf_counter_ns) Py_XSETREF(self->clock, Py_NewRef(clock));
	Py_XSETREF(self->quoted, PyDict_New());
	Py_XSETREF(self->steps, PyObject_CallNoArgs(step_texts));
	self->moves_since_s = NAN;
	self->look_again_s = INFINITY;
	if (!self->quoted || !self->steps || now(self, &self->origin) < 0) return -1;
	self->main = this_thread(self);
	return self->main ? 0 : -1;
}

static void inner_dealloc(Inner *self)
{
	PyTypeObject *type = Py_TYPE(self);
	if (self->lent) PyBuffer_Release(&self->memory);
	while (self->threads) {
		Thread *thread = self->threads;
		self->threads = thread->next;
		while (thread->count) Py_DECREF((PyObject *)thread->calls[--thread->count]);
		PyMem_RawFree(thread->calls);
		PyMem_RawFree(thread->suffix);
		PyMem_RawFree(thread);
	}
	PyMem_RawFree(self->pending);
	PyMem_RawFree(self->line);
	PyMem_RawFree(self->told);
	Py_XDECREF(self->clock);
	Py_XDECREF(self->quoted);
	Py_XDECREF(self->sink);
	Py_XDECREF(self->after_return);
	Py_XDECREF(self->waiting_phases);
	Py_XDECREF(self->begin_measuring);
	Py_XDECREF(self->end_measuring);
	Py_XDECREF(self->steps);
	type->tp_free((PyObject *)self);
	Py_DECREF(type);
}

/* --- calls ---------------------------------------------------------------------------------------------- */

static PyObject *call_changed(Call *self, PyObject *const *args, Py_ssize_t count, PyObject *keywords)
{
	static const char *const names[] = {"count"};
	PyObject *found[1] = {NULL};
	if (sorted_arguments(args, count, keywords, names, 1, 1, found, NULL) < 0) return NULL;
	long long changes = found[0] ? number_of_changes(found[0]) : 1;
	if (PyErr_Occurred()) {
		drop(self->inner);
		Py_RETURN_NONE;
	}
	self->changes = self->changes < 0 ? changes : self->changes + changes;
	Py_RETURN_NONE;
}

static PyObject *call_seemed(Call *self, PyObject *const *args, Py_ssize_t count, PyObject *keywords)
{
	static const char *const names[] = {"count"};
	PyObject *found[1] = {NULL};
	if (sorted_arguments(args, count, keywords, names, 1, 1, found, NULL) < 0) return NULL;
	if (!found[0]) {
		PyErr_SetString(PyExc_TypeError, "seemed() missing 1 required positional argument: 'count'");
		return NULL;
	}
	long long changes = number_of_changes(found[0]);
	if (PyErr_Occurred()) {
		drop(self->inner);
		Py_RETURN_NONE;
	}
	self->own = self->own < 0 ? changes : self->own + changes;
	Py_RETURN_NONE;
}

static PyObject *call_sent_at_least(Call *self, PyObject *nothing)
{
	if (self->changes < 0 && self->sends) self->changes = 0;
	Py_RETURN_NONE;
}

static PyObject *call_enter(PyObject *self, PyObject *nothing) { return Py_NewRef(self); }

static PyObject *call_exit(Call *self, PyObject *const *args, Py_ssize_t count)
{
	end_call(self->inner, self, count > 1 ? args[1] : NULL);
	if (self->inner->after_return && self->inner->after_return != Py_None) {
		PyObject *result = PyObject_CallOneArg(self->inner->after_return, (PyObject *)self);
		if (!result) drop(self->inner);
		Py_XDECREF(result);
	}
	Py_RETURN_NONE;
}

static void call_dealloc(Call *self)
{
	PyTypeObject *type = Py_TYPE(self);
	Py_DECREF((PyObject *)self->inner);
	PyObject_Free(self);
	Py_DECREF(type);
}

/* --- runners -------------------------------------------------------------------------------------------- */

static PyObject *run(PyObject *callable, PyObject *const *args, size_t count, PyObject *keywords)
{
	Runner *self = (Runner *)callable;
	Inner *inner = self->inner;
	Sample *sample = self->sample;
	if (inner->watched || sample->count + 1 >= sample->next) return PyObject_Vectorcall(self->slow, args, count, keywords);
	sample->count++;
	Call *call = new_call(inner, this_thread(inner));
	if (!call) return NULL;
	Py_ssize_t deep = PyList_GET_SIZE(self->sends);
	long long s = deep ? PyLong_AsLongLong(PyList_GET_ITEM(self->sends, deep - 1)) : 0;
	if (PyErr_Occurred()
		|| begin_call(inner, call, s, PyBytes_AS_STRING(self->tail), (size_t)PyBytes_GET_SIZE(self->tail)) < 0)
		drop(inner);
	if (!inner->waits) flush(inner);
	PyObject *result = PyObject_Vectorcall(self->method, args, count, keywords);
	if (result)
		end_call(inner, call, NULL);
	else {
		PyObject *kind, *error, *trace;
		PyErr_Fetch(&kind, &error, &trace);
		PyErr_NormalizeException(&kind, &error, &trace);
		end_call(inner, call, error);
		PyErr_Restore(kind, error, trace);
	}
	Py_DECREF((PyObject *)call);
	return result;
}

static int runner_traverse(Runner *self, visitproc visit, void *arg)
{
	Py_VISIT(Py_TYPE(self));
	Py_VISIT((PyObject *)self->inner);
	Py_VISIT(self->sends);
	Py_VISIT(self->method);
	Py_VISIT(self->slow);
	return 0;
}

static int runner_clear(Runner *self)
{
	Py_CLEAR(self->sends);
	Py_CLEAR(self->method);
	Py_CLEAR(self->slow);
	return 0;
}

static void runner_dealloc(Runner *self)
{
	PyTypeObject *type = Py_TYPE(self);
	PyObject_GC_UnTrack((PyObject *)self);
	runner_clear(self);
	Py_XDECREF((PyObject *)self->inner);
	Py_XDECREF((PyObject *)self->sample);
	Py_XDECREF(self->tail);
	Py_XDECREF(self->name);
	PyObject_GC_Del(self);
	Py_DECREF(type);
}

/* --- turns of loops: see loop_turns.py ------------------------------------------------------------------- */

static PyObject *event_of(LoopTurns *self, PyObject *code)
{
	for (size_t index = 0; index < self->count; index++)
		if ((PyObject *)self->turns[index].code == code) return self->turns[index].event;
	return NULL;
}

static PyObject *turns_stands_for(LoopTurns *self, PyObject *const *args, Py_ssize_t count)
{
	size_t bytes = self->room * sizeof(Turn);
	if (count != 2 || !PyCode_Check(args[0]) || !PyUnicode_Check(args[1])) {
		PyErr_SetString(PyExc_TypeError, "code and an event are needed");
		return NULL;
	}
	if (event_of(self, args[0])) Py_RETURN_NONE;
	if (room_for((char **)&self->turns, &bytes, (self->count + 1) * sizeof(Turn)) < 0) return NULL;
	self->room = bytes / sizeof(Turn);
	self->turns[self->count++] = (Turn){(PyCodeObject *)Py_NewRef(args[0]), Py_NewRef(args[1])};
	Py_RETURN_NONE;
}

static PyObject *turns_event_of(LoopTurns *self, PyObject *code)
{
	PyObject *event = event_of(self, code);
	return event ? Py_NewRef(event) : PyUnicode_FromString("");
}

static PyObject *turns_begin_frame(LoopTurns *self, PyObject *nothing)
{
	if (PyList_GET_SIZE(self->sends)
		&& (PySet_Clear(self->ran) < 0 || PyList_SetSlice(self->sends, 0, PY_SSIZE_T_MAX, NULL) < 0))
		return NULL;
	Py_RETURN_NONE;
}

static int begin_turn(LoopTurns *self, PyObject *event)
{
	PyObject *given[] = {(PyObject *)self->inner, event, tick_text};
	PyObject *number = PyObject_VectorcallMethod(send_name, given, 2, by_via);
	int failed = !number || PySet_Clear(self->ran) < 0
		|| PyList_SetSlice(self->sends, 0, PY_SSIZE_T_MAX, NULL) < 0 || PyList_Append(self->sends, number) < 0;
	Py_XDECREF(number);
	Py_XSETREF(self->event, Py_NewRef(event));
	return failed ? -1 : 0;
}

/* Whether a call of a function (`number`: its code's identity) is one of a turn; never an error. */
static int takes(LoopTurns *self, PyObject *caller, PyObject *number, PyObject *owner)
{
	PyObject *event = event_of(self, caller), *called;
	if (!event || PyObject_Size(self->elsewhere)) {
		PyErr_Clear();
		return 0;
	}
	Thread *thread = this_thread(self->inner);
	if (!thread || thread->count || !(called = PyTuple_Pack(2, number, owner))) {
		PyErr_Clear();
		return 0;
	}
	int another = !PyList_GET_SIZE(self->sends) || !self->event || PyUnicode_Compare(event, self->event);
	if (!another) another = PySet_Contains(self->ran, called);
	int failed = another < 0 || (another && begin_turn(self, event) < 0) || PySet_Add(self->ran, called) < 0;
	Py_DECREF(called);
	if (failed) forget_error();
	return !failed;
}

static PyObject *turns_takes(LoopTurns *self, PyObject *const *args, Py_ssize_t count)
{
	if (count != 3) {
		PyErr_SetString(PyExc_TypeError, "the caller's code, a function's and an owner's identity are needed");
		return NULL;
	}
	return PyBool_FromLong(takes(self, args[0], args[1], args[2]));
}

static PyObject *turns_function(LoopTurns *self, PyObject *const *args, Py_ssize_t count)
{
	PyObject *code = count == 5 ? PyObject_GetAttrString(args[0], "__code__") : NULL;
	if (!code || !PyDict_Check(args[2]) || !PyUnicode_Check(args[3])) {
		Py_XDECREF(code);
		if (!PyErr_Occurred())
			PyErr_SetString(PyExc_TypeError, "a function, if it is a method, who is known, an owner and who finds are needed");
		return NULL;
	}
	LoopFunction *made = PyObject_GC_New(LoopFunction, function_type);
	if (made) {
		made->vectorcall = call_in_turn;
		made->turns = (LoopTurns *)Py_NewRef((PyObject *)self);
		made->function = Py_NewRef(args[0]);
		made->is_method = PyObject_IsTrue(args[1]) == 1;
		made->known = Py_NewRef(args[2]);
		made->owner = Py_NewRef(args[3]);
		made->find = Py_NewRef(args[4]);
		made->number = PyLong_FromVoidPtr(code);
		made->runs = PyDict_New();
		made->weak = NULL;
		PyObject_GC_Track((PyObject *)made);
		if (!made->number || !made->runs) Py_CLEAR(made);
	}
	Py_DECREF(code);
	return (PyObject *)made;
}

static PyObject *turns_new(PyTypeObject *type, PyObject *args, PyObject *keywords)
{
	PyObject *inner, *elsewhere;
	if (!PyArg_ParseTuple(args, "O!O", inner_type, &inner, &elsewhere)) return NULL;
	LoopTurns *self = (LoopTurns *)type->tp_alloc(type, 0);
	if (!self) return NULL;
	self->inner = (Inner *)Py_NewRef(inner);
	self->elsewhere = Py_NewRef(elsewhere);
	self->ran = PySet_New(NULL);
	self->sends = PyList_New(0);
	if (!self->ran || !self->sends) Py_CLEAR(self);
	return (PyObject *)self;
}

static void turns_dealloc(LoopTurns *self)
{
	PyTypeObject *type = Py_TYPE(self);
	while (self->count--) {
		Py_DECREF((PyObject *)self->turns[self->count].code);
		Py_DECREF(self->turns[self->count].event);
	}
	PyMem_RawFree(self->turns);
	Py_XDECREF((PyObject *)self->inner);
	Py_XDECREF(self->elsewhere);
	Py_XDECREF(self->ran);
	Py_XDECREF(self->sends);
	Py_XDECREF(self->event);
	type->tp_free((PyObject *)self);
	Py_DECREF(type);
}

/* --- a loop's functions: see loop_turns.py --------------------------------------------------------------- */

/* What runs a function for the owner whose identity this is (`first`; NULL: for its module), a new reference. */
static PyObject *runner_of(LoopFunction *self, PyObject *first, PyObject *identity)
{
	if (!self->runs || !self->find) return NULL; /* the interpreter ends */
	PyObject *known = first ? PyDict_GetItemWithError(self->known, identity) : NULL;
	PyObject *name = first ? NULL : self->owner;
	if (known && PyTuple_Check(known) && PyTuple_GET_SIZE(known) == 2) name = PyTuple_GET_ITEM(known, 1);
	PyObject *runner = name ? PyDict_GetItemWithError(self->runs, name) : NULL;
	if (runner) return Py_NewRef(runner);
	if (PyErr_Occurred()) return NULL;
	PyObject *found = PyObject_CallOneArg(self->find, first ? first : Py_None);
	if (found && PyTuple_Check(found) && PyTuple_GET_SIZE(found) == 2) {
		if (PyDict_GET_SIZE(self->runs) >= MOST_OWNERS) PyDict_Clear(self->runs);
		if (PyDict_SetItem(self->runs, PyTuple_GET_ITEM(found, 0), PyTuple_GET_ITEM(found, 1)) == 0)
			runner = Py_NewRef(PyTuple_GET_ITEM(found, 1));
	}
	Py_XDECREF(found);
	return runner;
}

/* Recorded where it is called in a turn; else, and where that fails, as the game wrote it. */
static PyObject *call_in_turn(PyObject *callable, PyObject *const *args, size_t count, PyObject *keywords)
{
	LoopFunction *self = (LoopFunction *)callable;
	PyFrameObject *frame = PyEval_GetFrame();
	PyObject *caller = frame ? (PyObject *)PyFrame_GetCode(frame) : NULL, *runner = NULL, *identity = NULL;
	if (caller && event_of(self->turns, caller)) {
		PyObject *first = self->is_method && PyVectorcall_NARGS(count) ? args[0] : NULL;
		identity = PyLong_FromVoidPtr(first);
		if (identity && takes(self->turns, caller, self->number, identity)) runner = runner_of(self, first, identity);
		if (PyErr_Occurred()) forget_error();
	}
	Py_XDECREF(caller);
	Py_XDECREF(identity);
	PyObject *result = PyObject_Vectorcall(runner ? runner : self->function, args, count, keywords);
	Py_XDECREF(runner);
	return result;
}

static PyObject *function_bound(PyObject *self, PyObject *thing, PyObject *kind)
{
	return thing && thing != Py_None ? PyMethod_New(self, thing) : Py_NewRef(self);
}

/* Whatever is asked of it, also of which class it is, is the function's own. */
static PyObject *function_attribute(PyObject *self, PyObject *name)
{
	if (PyUnicode_Check(name)
		&& (!PyUnicode_CompareWithASCIIString(name, "opossum_plain") || !PyUnicode_CompareWithASCIIString(name, "__reduce_ex__")))
		return PyObject_GenericGetAttr(self, name);
	return PyObject_GetAttr(((LoopFunction *)self)->function, name);
}

static int function_set(PyObject *self, PyObject *name, PyObject *value)
{
	return PyObject_SetAttr(((LoopFunction *)self)->function, name, value);
}

static PyObject *function_text(PyObject *self) { return PyObject_Repr(((LoopFunction *)self)->function); }

/* As functions are: by their name, to be found in their module. */
static PyObject *function_reduced(LoopFunction *self, PyObject *protocol)
{
	return PyObject_GetAttrString(self->function, "__qualname__");
}

static int function_traverse(LoopFunction *self, visitproc visit, void *arg)
{
	Py_VISIT(Py_TYPE(self));
	Py_VISIT((PyObject *)self->turns);
	Py_VISIT(self->function);
	Py_VISIT(self->known);
	Py_VISIT(self->runs);
	Py_VISIT(self->find);
	return 0;
}

static int function_clear(LoopFunction *self)
{
	Py_CLEAR(self->runs);
	Py_CLEAR(self->find);
	return 0;
}

static void function_dealloc(LoopFunction *self)
{
	PyTypeObject *type = Py_TYPE(self);
	PyObject_GC_UnTrack((PyObject *)self);
	if (self->weak) PyObject_ClearWeakRefs((PyObject *)self);
	function_clear(self);
	Py_XDECREF((PyObject *)self->turns);
	Py_XDECREF(self->function);
	Py_XDECREF(self->known);
	Py_XDECREF(self->owner);
	Py_XDECREF(self->number);
	PyObject_GC_Del(self);
	Py_DECREF(type);
}

static int sample_init(Sample *self, PyObject *args, PyObject *keywords)
{
	return PyArg_ParseTuple(args, "L", &self->next) ? 0 : -1;
}

/* --- the module ----------------------------------------------------------------------------------------- */

#define KEYED METH_FASTCALL | METH_KEYWORDS
#define METHOD(name, function, flags) {name, (PyCFunction)(void (*)(void))function, flags, NULL}

static PyMethodDef inner_methods[] = {
	METHOD("frame", inner_frame, KEYED), METHOD("idle", inner_idle, METH_NOARGS), METHOD("phase", inner_phase, METH_O),
	METHOD("_watch_on", inner_watch_on, METH_NOARGS), METHOD("_watch_off", inner_watch_off, METH_NOARGS),
	METHOD("_look_again", inner_look_again, METH_O), METHOD("_tell_of_frames", inner_tell_of_frames, METH_FASTCALL),
	METHOD("send", inner_send, KEYED), METHOD("call", inner_call, KEYED),
	METHOD("changed", inner_changed, METH_FASTCALL), METHOD("current_call", inner_current_call, METH_NOARGS),
	METHOD("main_call", inner_main_call, METH_NOARGS), METHOD("now_ns", inner_now_ns, METH_NOARGS),
	METHOD("flush", inner_flush, METH_NOARGS), METHOD("runner", inner_runner, METH_FASTCALL),
	METHOD("_put", inner_put, METH_FASTCALL), METHOD("_drop", inner_drop, METH_NOARGS),
	METHOD("_take_untold", inner_take_untold, METH_NOARGS),
	METHOD("_attach", inner_attach, METH_O), METHOD("_detach", inner_detach, METH_NOARGS),
	METHOD("_silence", inner_silence, METH_NOARGS), {NULL}};
static PyMemberDef inner_members[] = {
	{"lost", T_LONGLONG, offsetof(Inner, lost), 0, NULL}, {"_origin", T_LONGLONG, offsetof(Inner, origin), 0, NULL},
	{"_watched", T_BOOL, offsetof(Inner, watched), 0, NULL}, {"_closed", T_BOOL, offsetof(Inner, closed), READONLY, NULL},
	{"_look_again_s", T_DOUBLE, offsetof(Inner, look_again_s), 0, NULL},
	{"_after_return", T_OBJECT, offsetof(Inner, after_return), 0, NULL}, {NULL}};
static PyGetSetDef inner_told[] = {{"moves_since_s", (getter)inner_moves_since, NULL, NULL, NULL}, {NULL}};
static PyType_Slot inner_slots[] = {{Py_tp_methods, inner_methods}, {Py_tp_members, inner_members},
	{Py_tp_getset, inner_told}, {Py_tp_init, inner_init}, {Py_tp_new, PyType_GenericNew}, {Py_tp_dealloc, inner_dealloc}, {0, NULL}};
static PyType_Spec inner_spec = {
	"opossum_recorder._inner.Inner", sizeof(Inner), 0, Py_TPFLAGS_DEFAULT | Py_TPFLAGS_BASETYPE, inner_slots};

static PyMethodDef call_methods[] = {
	METHOD("changed", call_changed, KEYED), METHOD("seemed", call_seemed, KEYED),
	METHOD("sent_at_least", call_sent_at_least, METH_NOARGS),
	METHOD("__enter__", call_enter, METH_NOARGS), METHOD("__exit__", call_exit, METH_FASTCALL), {NULL}};
static PyMemberDef call_members[] = {{"id", T_LONGLONG, offsetof(Call, id), READONLY, NULL}, {NULL}};
static PyType_Slot call_slots[] = {
	{Py_tp_methods, call_methods}, {Py_tp_members, call_members}, {Py_tp_dealloc, call_dealloc}, {0, NULL}};
static PyType_Spec call_spec = {"opossum_recorder._inner.Call", sizeof(Call), 0,
	Py_TPFLAGS_DEFAULT | Py_TPFLAGS_DISALLOW_INSTANTIATION, call_slots};

static PyMethodDef context_methods[] = {
	METHOD("__enter__", context_enter, METH_NOARGS), METHOD("__exit__", context_exit, METH_FASTCALL), {NULL}};
static PyType_Slot context_slots[] = {
	{Py_tp_methods, context_methods}, {Py_tp_dealloc, context_dealloc}, {0, NULL}};
static PyType_Spec context_spec = {"opossum_recorder._inner.FrameContext", sizeof(FrameContext), 0,
	Py_TPFLAGS_DEFAULT | Py_TPFLAGS_DISALLOW_INSTANTIATION, context_slots};

static PyMemberDef sample_members[] = {
	{"count", T_LONGLONG, offsetof(Sample, count), 0, NULL}, {"next", T_LONGLONG, offsetof(Sample, next), 0, NULL},
	{"unjudged", T_LONGLONG, offsetof(Sample, unjudged), 0, NULL}, {NULL}};
static PyType_Slot sample_slots[] = {
	{Py_tp_members, sample_members}, {Py_tp_init, sample_init}, {Py_tp_new, PyType_GenericNew}, {0, NULL}};
static PyType_Spec sample_spec = {"opossum_recorder._inner.Sample", sizeof(Sample), 0, Py_TPFLAGS_DEFAULT, sample_slots};

static PyMethodDef turns_methods[] = {
	METHOD("stands_for", turns_stands_for, METH_FASTCALL), METHOD("event_of", turns_event_of, METH_O),
	METHOD("begin_frame", turns_begin_frame, METH_NOARGS), METHOD("takes", turns_takes, METH_FASTCALL),
	METHOD("function", turns_function, METH_FASTCALL), {NULL}};
static PyMemberDef turns_members[] = {{"sends", T_OBJECT, offsetof(LoopTurns, sends), READONLY, NULL}, {NULL}};
static PyType_Slot turns_slots[] = {{Py_tp_methods, turns_methods}, {Py_tp_members, turns_members},
	{Py_tp_new, turns_new}, {Py_tp_dealloc, turns_dealloc}, {0, NULL}};
static PyType_Spec turns_spec = {"opossum_recorder._inner.LoopTurns", sizeof(LoopTurns), 0, Py_TPFLAGS_DEFAULT, turns_slots};

static PyMethodDef function_methods[] = {METHOD("__reduce_ex__", function_reduced, METH_O), {NULL}};
static PyMemberDef function_members[] = {{"opossum_plain", T_OBJECT, offsetof(LoopFunction, function), READONLY, NULL},
	{"__weaklistoffset__", T_PYSSIZET, offsetof(LoopFunction, weak), READONLY, NULL},
	{"__vectorcalloffset__", T_PYSSIZET, offsetof(LoopFunction, vectorcall), READONLY, NULL}, {NULL}};
static PyType_Slot function_slots[] = {{Py_tp_methods, function_methods}, {Py_tp_members, function_members},
	{Py_tp_call, PyVectorcall_Call}, {Py_tp_descr_get, function_bound}, {Py_tp_getattro, function_attribute},
	{Py_tp_setattro, function_set}, {Py_tp_repr, function_text}, {Py_tp_traverse, function_traverse},
	{Py_tp_clear, function_clear}, {Py_tp_dealloc, function_dealloc}, {0, NULL}};
static PyType_Spec function_spec = {"opossum_recorder._inner.LoopFunction", sizeof(LoopFunction), 0,
	Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_HAVE_VECTORCALL | Py_TPFLAGS_METHOD_DESCRIPTOR
		| Py_TPFLAGS_DISALLOW_INSTANTIATION,
	function_slots};

static PyMemberDef runner_members[] = {{"__name__", T_OBJECT, offsetof(Runner, name), 0, NULL},
	{"__wrapped__", T_OBJECT, offsetof(Runner, method), READONLY, NULL},
	{"__vectorcalloffset__", T_PYSSIZET, offsetof(Runner, vectorcall), READONLY, NULL}, {NULL}};
static PyType_Slot runner_slots[] = {{Py_tp_members, runner_members}, {Py_tp_call, PyVectorcall_Call},
	{Py_tp_traverse, runner_traverse}, {Py_tp_clear, runner_clear}, {Py_tp_dealloc, runner_dealloc}, {0, NULL}};
static PyType_Spec runner_spec = {"opossum_recorder._inner.Runner", sizeof(Runner), 0,
	Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_HAVE_VECTORCALL | Py_TPFLAGS_DISALLOW_INSTANTIATION,
	runner_slots};

static PyObject *taken_from(const char *module, const char *name)
{
	PyObject *from = PyImport_ImportModule(module), *value = from ? PyObject_GetAttrString(from, name) : NULL;
	Py_XDECREF(from);
	return value;
}

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "opossum_recorder._inner", NULL, -1, NULL};

PyMODINIT_FUNC PyInit__inner(void)
{
	PyObject *made = PyModule_Create(&module);
	if (!made) return NULL;
	quote = taken_from("opossum_recorder.encoding", "quoted");
	data_text = taken_from("opossum_recorder.encoding", "data_text");
	error_text = taken_from("opossum_recorder.encoding", "error_text");
	thread_suffix = taken_from("opossum_recorder.encoding", "thread_suffix");
	field_text = taken_from("opossum_recorder.encoding", "field_text");
	step_texts = taken_from("opossum_recorder.encoding", "StepTexts");
	perf_counter_ns = taken_from("time", "perf_counter_ns");
	attributes_name = PyUnicode_InternFromString("attributes");
	asked_name = PyUnicode_InternFromString("asked");
	read_name = PyUnicode_InternFromString("read");
	look_again_name = PyUnicode_InternFromString("_look_again");
	idle_name = PyUnicode_InternFromString("idle");
	send_name = PyUnicode_InternFromString("send");
	tick_text = PyUnicode_InternFromString("tick");
	by_via = Py_BuildValue("(s)", "via");
	inner_type = (PyTypeObject *)PyType_FromSpec(&inner_spec);
	turns_type = (PyTypeObject *)PyType_FromSpec(&turns_spec);
	function_type = (PyTypeObject *)PyType_FromSpec(&function_spec);
	call_type = (PyTypeObject *)PyType_FromSpec(&call_spec);
	sample_type = (PyTypeObject *)PyType_FromSpec(&sample_spec);
	runner_type = (PyTypeObject *)PyType_FromSpec(&runner_spec);
	context_type = (PyTypeObject *)PyType_FromSpec(&context_spec);
	if (PyErr_Occurred() || PyModule_AddObjectRef(made, "Inner", (PyObject *)inner_type) < 0
		|| PyModule_AddObjectRef(made, "LoopTurns", (PyObject *)turns_type) < 0
		|| PyModule_AddObjectRef(made, "Call", (PyObject *)call_type) < 0
		|| PyModule_AddObjectRef(made, "FrameContext", (PyObject *)context_type) < 0
		|| PyModule_AddObjectRef(made, "Sample", (PyObject *)sample_type) < 0) {
		Py_DECREF(made);
		return NULL;
	}
	return made;
}
