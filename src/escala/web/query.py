"""What addresses hold after their question mark."""

from functools import cache
from typing import Any

from pydantic import BaseModel


class Query(BaseModel):
    """The base of all queries. Flask-openapi3 reads the schema of a query at each request: it is made once."""

    @classmethod
    def model_json_schema(cls, *options: Any, **more: Any) -> dict[str, Any]:
        """As of pydantic."""
        return super().model_json_schema(*options, **more) if options or more else _schema_of(cls)


@cache
def _schema_of(query: type[Query]) -> dict[str, Any]:
    return super(Query, query).model_json_schema()
