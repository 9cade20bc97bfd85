"""Records what goes through blinker, PyDispatcher and pypubsub, unedited: binds, unbinds, sends, calls, errors.

Receivers are handed on as they are, so that weak references, identity and return values stay the game's own: a call begins
where the dispatcher asks for the next receiver and ends where it asks for the one after.
"""

from __future__ import annotations

import functools
import importlib
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from opossum_recorder.engines.describing import describe, shown
from opossum_recorder.engines.names import ObjectNames
from opossum_recorder.recorder import Recorder

ENDINGS = ("destroy", "delete", "close")


class Delivery:
    """One send under way: the call that runs now, if one does."""

    def __init__(self, send: int) -> None:
        self.send = send
        self.call: Any = None

    def end(self, *error: Any) -> None:
        """End the call that runs, in an error if one is given."""
        call, self.call = self.call, None
        if call is not None:
            call.__exit__(*(error or (None, None, None)))


class DispatcherAdapter:
    """Puts the recorder into whichever of the three dispatchers a game imports; one a process."""

    phases = ()
    waits = ()
    engine = ""

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.names = ObjectNames(recorder, ENDINGS, ("blinker", "pydispatch", "pubsub"))
        self._binds: dict[tuple[Any, ...], tuple[int, str, str]] = {}
        self._under_way: list[Delivery] = []
        self._signal: tuple[Any, Any] | None = None
        """PyDispatcher's signal and sender of the send that is under way."""

    @property
    def watched(self) -> dict[str, Callable[[], None]]:
        """What to do when a module has been loaded."""
        return {
            "blinker.base": self._watch_blinker,
            "pydispatch.dispatcher": self._watch_pydispatcher,
            "pubsub.core.topicobj": self._watch_pypubsub,
        }

    # --- what the three have in common ---------------------------------------------------------------

    def _owner(self, receiver: Any) -> str:
        """Return who a receiver belongs to: the object of a method, else the function's module."""
        thing = getattr(receiver, "__self__", None)
        if thing is not None and not isinstance(thing, type):
            return self.names.of(thing)
        return str(getattr(receiver, "__module__", "") or type(receiver).__module__)

    def _sender(self, sender: Any) -> str:
        if sender is None or isinstance(sender, str):
            return sender or ""
        return self.names.of(sender)

    def bind(self, key: tuple[Any, ...], event: str, receiver: Any, source: str = "") -> None:
        """Tell of a bind, once for a key."""
        if key not in self._binds:
            owner, (function, place) = self._owner(receiver), describe(receiver)
            self._binds[key] = (self.recorder.bind(event, owner, function, source, place), owner, function)

    def unbind(self, fits: Callable[[tuple[Any, ...]], bool]) -> None:
        """Tell of the end of every bind whose key fits."""
        for key in [key for key in self._binds if fits(key)]:
            self.recorder.unbind(self._binds.pop(key)[0])

    def delivered(self, send: int, deliver: Callable[[], Any]) -> Any:
        """Run a dispatcher's delivery of a send; an error ends the call it comes from, and passes on."""
        delivery = Delivery(send)
        self._under_way.append(delivery)
        try:
            return deliver()
        except BaseException as error:
            delivery.end(type(error), error, error.__traceback__)
            raise
        finally:
            delivery.end()
            self._under_way.remove(delivery)

    def one_by_one(self, receivers: Iterable[Any], key_of: Callable[[Any], tuple[Any, ...] | None]) -> Iterator[Any]:
        """Hand receivers on, each a call of the send that is under way."""
        delivery = self._under_way[-1] if self._under_way else None
        for receiver in receivers:
            if delivery is not None:
                delivery.end()
                delivery.call = self._call(delivery.send, receiver, key_of(receiver))
                delivery.call.__enter__()
            yield receiver
        if delivery is not None:
            delivery.end()

    def _call(self, send: int, receiver: Any, key: tuple[Any, ...] | None) -> Any:
        known = self._binds.get(key) if key is not None else None
        number, owner, function = known or (None, self._owner(receiver), describe(receiver)[0])
        return self.recorder.call(send, number, owner, function)

    # --- blinker -------------------------------------------------------------------------------------

    def _watch_blinker(self) -> None:
        base: Any = importlib.import_module("blinker.base")
        signal, make_id, anybody = base.Signal, base.make_id, base.ANY
        connect, disconnect, send = signal.connect, signal._disconnect, signal.send
        receivers_for = signal.receivers_for
        adapter = self

        def name_of(own: Any) -> str:
            return str(getattr(own, "name", "") or adapter.names.of(own))

        @functools.wraps(connect)
        def recorded_connect(own: Any, receiver: Any, sender: Any = anybody, weak: bool = True) -> Any:
            result = connect(own, receiver, sender, weak)
            source = "" if sender is anybody else adapter._sender(sender)
            ids = (make_id(receiver), "" if sender is anybody else make_id(sender))
            adapter.bind(("blinker", id(own), *ids), name_of(own), receiver, source)
            return result

        @functools.wraps(disconnect)
        def recorded_disconnect(own: Any, receiver_id: Any, sender_id: Any) -> None:
            disconnect(own, receiver_id, sender_id)
            everywhere = sender_id == base.ANY_ID
            adapter.unbind(
                lambda key: key[:3] == ("blinker", id(own), receiver_id) and (everywhere or key[3] == sender_id)
            )

        @functools.wraps(send)
        def recorded_send(own: Any, *senders: Any, **data: Any) -> Any:
            sender = senders[0] if senders else data.get("sender")
            told = {name: value for name, value in data.items() if name != "_async_wrapper"}
            number = adapter.recorder.send(name_of(own), adapter._sender(sender), d=_plain(told))
            return adapter.delivered(number, lambda: send(own, *senders, **data))

        def recorded_receivers_for(own: Any, sender: Any) -> Iterator[Any]:
            def key_of(receiver: Any) -> tuple[Any, ...] | None:
                for source in (make_id(sender), ""):
                    key = ("blinker", id(own), make_id(receiver), source)
                    if key in adapter._binds:
                        return key
                return None

            return adapter.one_by_one(receivers_for(own, sender), key_of)

        signal.connect, signal._disconnect = recorded_connect, recorded_disconnect
        signal.send, signal.receivers_for = recorded_send, recorded_receivers_for

    # --- PyDispatcher --------------------------------------------------------------------------------

    def _watch_pydispatcher(self) -> None:
        module: Any = importlib.import_module("pydispatch.dispatcher")
        adapter = self
        connect, disconnect, live = module.connect, module.disconnect, module.liveReceivers
        anybody = module.Any

        def key_of(receiver: Any, signal: Any, sender: Any) -> tuple[Any, ...]:
            function = getattr(receiver, "__func__", receiver)
            return ("pydispatch", id(getattr(receiver, "__self__", None)), id(function), _named(signal), id(sender))

        @functools.wraps(connect)
        def recorded_connect(receiver: Any, signal: Any = anybody, sender: Any = anybody, weak: bool = True) -> Any:
            result = connect(receiver, signal, sender, weak)
            source = "" if sender is anybody else adapter._sender(sender)
            adapter.bind(key_of(receiver, signal, sender), _named(signal), receiver, source)
            return result

        @functools.wraps(disconnect)
        def recorded_disconnect(receiver: Any, signal: Any = anybody, sender: Any = anybody, weak: bool = True) -> Any:
            wanted = key_of(receiver, signal, sender)
            result = disconnect(receiver, signal, sender, weak)
            adapter.unbind(lambda key: key == wanted)
            return result

        def recording(send: Callable[..., Any]) -> Callable[..., Any]:
            @functools.wraps(send)
            def recorded_send(
                signal: Any = anybody, sender: Any = module.Anonymous, *arguments: Any, **data: Any
            ) -> Any:
                who = "" if sender in (module.Anonymous, anybody) else adapter._sender(sender)
                number = adapter.recorder.send(_named(signal), who, d=_plain(data) or shown(arguments))
                adapter._signal = (signal, sender)
                return adapter.delivered(number, lambda: send(signal, sender, *arguments, **data))

            return recorded_send

        def recorded_live(receivers: Any) -> Iterator[Any]:
            signal, sender = adapter._signal or (anybody, anybody)

            def bound(receiver: Any) -> tuple[Any, ...] | None:
                for event in (signal, anybody):
                    for source in (sender, anybody):
                        key = key_of(receiver, event, source)
                        if key in adapter._binds:
                            return key
                return None

            return adapter.one_by_one(live(receivers), bound)

        module.connect, module.disconnect, module.liveReceivers = recorded_connect, recorded_disconnect, recorded_live
        module.send, module.sendExact = recording(module.send), recording(module.sendExact)

    # --- pypubsub --------------------------------------------------------------------------------------

    def _watch_pypubsub(self) -> None:
        topicobj: Any = importlib.import_module("pubsub.core.topicobj")
        listener: Any = importlib.import_module("pubsub.core.listener")
        topic, adapter = topicobj.Topic, self
        subscribe, unsubscribe, publish = topic.subscribe, topic.unsubscribe, topic.publish
        call = listener.Listener.__call__

        @functools.wraps(subscribe)
        def recorded_subscribe(own: Any, receiver: Any, *more: Any, **curried: Any) -> Any:
            result = subscribe(own, receiver, *more, **curried)
            adapter.bind(("pubsub", own.getName(), id(result[0])), own.getName(), receiver)
            return result

        @functools.wraps(unsubscribe)
        def recorded_unsubscribe(own: Any, receiver: Any) -> Any:
            result = unsubscribe(own, receiver)
            adapter.unbind(lambda key: key == ("pubsub", own.getName(), id(result)))
            return result

        @functools.wraps(publish)
        def recorded_publish(own: Any, **data: Any) -> Any:
            number = adapter.recorder.send(own.getName(), "", d=_plain(data))
            return adapter.delivered(number, lambda: publish(own, **data))

        @functools.wraps(call)
        def recorded_call(own: Any, kwargs: Any, actual: Any, *more: Any, **rest: Any) -> Any:
            receiver = own.getCallable()
            delivery = adapter._under_way[-1] if adapter._under_way else None
            if delivery is None or receiver is None:
                return call(own, kwargs, actual, *more, **rest)
            keys = [key for key in adapter._binds if key[0] == "pubsub" and key[2] == id(own)]
            with adapter._call(delivery.send, receiver, keys[0] if keys else None):
                return call(own, kwargs, actual, *more, **rest)

        topic.subscribe, topic.unsubscribe, topic.publish = recorded_subscribe, recorded_unsubscribe, recorded_publish
        listener.Listener.__call__ = recorded_call


def _named(signal: Any) -> str:
    """Return the name of a signal that may be any value."""
    return signal if isinstance(signal, str) else getattr(signal, "__name__", "") or repr(signal)[:80]


def _plain(data: dict[str, Any]) -> dict[str, Any] | None:
    """Return what a send carries by name, as short plain values."""
    values = shown(data.values())
    return dict(zip(data, values, strict=False)) if values else None
