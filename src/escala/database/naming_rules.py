"""Naming rules: a role that was set manually is suggested for every later render with a pass of that name."""

import re
from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from escala.model.render import Render
from escala.model.source import PassReading
from escala.model.variant import Variant

from .tables import NamingRuleRow


def rule_name(pass_name: str) -> str:
    """A pass's name without case and separators: `LG-Key` and `lg_key` are one."""
    return re.sub(r"[^\w]|_", "", pass_name.lower())


def remember_rules(session: Session, before: Variant, after: Variant) -> None:
    """Keep a rule for every role that was corrected between two states of a variant. The caller commits."""
    for name, reading in after.source.roles.items():
        if before.source.roles.get(name) != reading:
            rule = session.get(NamingRuleRow, rule_name(name)) or NamingRuleRow(name=rule_name(name))
            rule.reading = reading.model_dump(mode="json")
            session.add(rule)


def rules_for(session: Session, names: Iterable[str]) -> dict[str, PassReading]:
    """The rules that fit these passes, by the passes' own names."""
    wanted = {rule_name(name): name for name in names}
    rows = session.scalars(select(NamingRuleRow).where(NamingRuleRow.name.in_(wanted)))
    return {wanted[row.name]: PassReading.model_validate(row.reading) for row in rows}


def suggested_rules(session: Session, render: Render, variant: Variant) -> dict[str, PassReading]:
    """The rules that would read a pass otherwise than it is read now, where the variant says nothing itself."""
    passes = {p.name: p for p in render.passes if p.name not in variant.source.roles}
    offered = {}
    for name, rule in rules_for(session, passes).items():
        p = passes[name]
        if (rule.role, rule.light, rule.component, rule.part) != (p.role, p.light, p.component, p.part):
            offered[name] = rule
    return offered
