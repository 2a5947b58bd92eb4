"""Routes whose description is made when it is requested: it takes longer than all else at the start of a server."""

from collections.abc import Callable
from typing import Any, TypeVar

from flask_openapi3 import APIBlueprint

View = TypeVar("View", bound=Callable[..., Any])


class Routes(APIBlueprint):
    """Routes of a resource. Requests are validated; the description of the API is in `described`."""

    def __init__(self, name: str, import_name: str, *, url_prefix: str) -> None:
        super().__init__(name, import_name, url_prefix=url_prefix, doc_ui=False)
        self._declared: list[tuple[str, str, dict[str, Any], Callable[..., Any]]] = []

    def get(self, rule: str, **options: Any) -> Callable[[View], View]:
        """A view of GET requests."""
        return self._declare("get", rule, options)

    def post(self, rule: str, **options: Any) -> Callable[[View], View]:
        """A view of POST requests."""
        return self._declare("post", rule, options)

    def put(self, rule: str, **options: Any) -> Callable[[View], View]:
        """A view of PUT requests."""
        return self._declare("put", rule, options)

    def patch(self, rule: str, **options: Any) -> Callable[[View], View]:
        """A view of PATCH requests."""
        return self._declare("patch", rule, options)

    def delete(self, rule: str, **options: Any) -> Callable[[View], View]:
        """A view of DELETE requests."""
        return self._declare("delete", rule, options)

    def _declare(self, method: str, rule: str, options: dict[str, Any]) -> Callable[[View], View]:
        register = getattr(super(), method)(rule, **options)

        def decorate(view: View) -> View:
            self._declared.append((method, rule, options, view))
            register(view)
            return view

        return decorate

    def described(self) -> APIBlueprint:
        """The same routes with their descriptions."""
        described = APIBlueprint(self.name, self.import_name, url_prefix=self.url_prefix)
        for method, rule, options, view in self._declared:
            getattr(described, method)(rule, **options)(view)
        return described
