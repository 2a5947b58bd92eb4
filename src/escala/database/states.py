"""States of variants after revisions: they never change, so those that are looked at are kept in memory."""

import threading
from collections import OrderedDict
from typing import Any

from sqlalchemy.orm import Session

from escala.model.strict_json import to_json
from escala.model.variant import Variant

from .revisions import edited, patched, state_at
from .tables import VariantRow

# Of all states together; one stays whatever its size. In memory a state takes about twelve times its characters.
_MOST_STATES, _MOST_CHARACTERS = 16, 8 << 20


class VariantStates:
    """The states that were requested last."""

    def __init__(self) -> None:
        self._states: OrderedDict[tuple[int, int], tuple[Variant, int]] = OrderedDict()
        self._lock = threading.Lock()

    def at(self, session: Session, variant: VariantRow, number: int) -> Variant:
        """As `state_at`, and raises as it does; the newest is read from the variant itself, and raises as `patched`."""
        key = variant.id, number
        with self._lock:
            if key in self._states:
                self._states.move_to_end(key)
                return self._states[key][0]
        state = patched(variant.document, []) if number == variant.head else state_at(session, variant, number)
        characters = len(to_json(state.model_dump(mode="json")))
        with self._lock:
            self._states[key] = state, characters
            while len(self._states) > 1 and self._is_full():
                self._states.popitem(last=False)
        return state

    def _is_full(self) -> bool:
        held = sum(characters for _, characters in self._states.values())
        return len(self._states) > _MOST_STATES or held > _MOST_CHARACTERS

    def previewed(
        self, session: Session, variant: VariantRow, base: int | None, patch: list[dict[str, Any]]
    ) -> Variant:
        """The variant after a patch that is not saved, on revision `base`, by default the newest.

        Raises as `at` and `edited`.
        """
        state = self.at(session, variant, variant.head if base is None else base)
        return edited(state, patch) if patch else state
