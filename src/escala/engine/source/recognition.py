"""What a decoded frame's passes are: roles, recipes with their proofs, and findings, from names and pixels together."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import isfinite

import numpy as np

from escala.core.beauty.products import find_products
from escala.core.beauty.recipe_search import Candidate, SampledPass, sample_places, search_recipes, twin_family
from escala.core.beauty.recipes import LIGHTS, Recipe, recipe_sentence
from escala.core.colour.transfer import decoded_step, srgb_decode
from escala.core.errors import BadSource
from escala.core.mattes.cryptomatte import declared_layers
from escala.core.planes import as_planes
from escala.core.roles import COLOUR_ROLES, SHADE_ROLES, PassRole, Portion, Role, can_hold
from escala.core.source.diagnostics import Diagnostic, diagnose_pass
from escala.core.source.naming import NamedPass, recognise_passes
from escala.core.source.pass_checks import check_pass
from escala.core.source.values import GUESSED, guess_by_values
from escala.media.naming_table import naming_table
from escala.media.store import StoredFrame, StoredPass
from escala.model.render import DepthReading, FoundRecipe, Render, RenderPass

from ..beauty.proofs import prove_recipe
from ..depth.kind import WORDS, kind_of_depth
from ..progress import Progress, no_progress

# Checks look at this many pixels of a pass at most, in bands of rows.
_CHECKED_PIXELS, _CHECKED_ROWS = 1_500_000, 64
# A variant can name any of these as its depth.
_COULD_BE_DEPTH = (Role.DEPTH, Role.OTHER, Role.MASK)


@dataclass(frozen=True)
class Recognised:
    """The passes with their roles, the reference's name, and candidates for recipes, best first."""

    passes: tuple[RenderPass, ...]
    reference: str | None
    candidates: tuple[Candidate, ...]


def recognise_frame(
    frame: StoredFrame, corrected: Mapping[str, PassRole] | None = None, twin: str | None = None
) -> Recognised:
    """Roles from names, as `corrected` manually where given; recipes by proof on sampled pixels.

    `twin`: use only this one where passes come noisy and denoised.
    """
    corrected = corrected or {}
    stored = list(frame.passes.values())
    named = [NamedPass(p.name, p.letters) for p in stored]
    guessed = recognise_passes(named, naming_table(), declared_layers(frame.header.attributes))
    roles = [_fitting(p, corrected.get(p.name), role) for p, role in zip(stored, guessed, strict=True)]
    roles = [
        _by_values(frame, p, role) if p.name not in corrected else role for p, role in zip(stored, roles, strict=True)
    ]
    roles = _one_beauty(stored, roles, set(corrected), twin)
    candidates, roles = _search(frame, stored, roles, set(corrected), twin)
    reference = next((p.name for p, role in zip(stored, roles, strict=True) if role.role == Role.BEAUTY), None)
    alphas = (p for p, role in zip(stored, roles, strict=True) if role.role == Role.ALPHA and _is_light(p, role))
    alpha = next((p.name for p in alphas), None)
    depths = _depth_readings(frame, stored, roles)
    passes = tuple(
        _render_pass(p, role, _findings(frame, p, role, alpha), depths.get(p.name))
        for p, role in zip(stored, roles, strict=True)
    )
    return Recognised(passes, reference, tuple(candidates))


def _fitting(p: StoredPass, said: PassRole | None, guessed: PassRole) -> PassRole:
    """The role as it was set, else as detected, if the pass's channels can hold it.

    Raises `BadSource` for a role that was set; a name that promises more than is there is passed over.
    """
    count = len(p.channels)
    if said is not None:
        if not can_hold(count, said.role):
            raise BadSource(f"{p.name} has {count} channel{'s' if count != 1 else ''}: it cannot be {said.role.value}")
        return said
    if can_hold(count, guessed.role):
        return guessed
    reason = f"its name says {guessed.role.value}, but it has {count} channel{'s' if count != 1 else ''}"
    return PassRole(Role.OTHER, sure=0.3, reason=reason)


def _by_values(frame: StoredFrame, p: StoredPass, role: PassRole) -> PassRole:
    """What the numbers say of a pass of which the name says nothing."""
    if role.role != Role.OTHER:
        return role
    if p.pixel_type == "uint" and len(p.channels) == 1:
        return PassRole(Role.ID, sure=GUESSED, reason="a guess: it holds integers")
    if p.pixel_type == "uint" or p.colour.encoded:
        return role
    bands = [as_planes(frame.planes(p.name)[:, top:bottom]) for top, bottom in _bands(*p.levels[0][1:])]
    found = guess_by_values(np.concatenate(bands, axis=1), p.letters)
    return found if found is not None and can_hold(len(p.channels), found.role) else role


def _findings(frame: StoredFrame, p: StoredPass, role: PassRole, alpha: str | None) -> list[Diagnostic]:
    """What its figures and its pixels say of a pass."""
    found = diagnose_pass(role, p.statistics)
    if p.pixel_type == "uint" or any(d.code in ("empty", "constant") for d in found):
        return found
    for top, bottom in _bands(*p.levels[0][1:]):
        planes = as_planes(frame.planes(p.name)[:, top:bottom])
        cover = as_planes(frame.planes(alpha)[0, top:bottom]) if alpha else None
        for finding in check_pass(role, planes, cover, p.colour.encoded):
            place = (finding.place[0], finding.place[1] + top) if finding.place else None
            if all(finding.code != known.code for known in found):
                found.append(replace(finding, place=place))
    return found


def _bands(rows: int, columns: int) -> list[tuple[int, int]]:
    """The whole of a small pass; bands of rows, evenly spread, of a large one."""
    if rows * columns <= _CHECKED_PIXELS:
        return [(0, rows)]
    count = max(1, _CHECKED_PIXELS // (columns * _CHECKED_ROWS))
    tops = np.linspace(0, rows - _CHECKED_ROWS, count).astype(int)
    return [(int(top), int(top) + _CHECKED_ROWS) for top in tops]


def _one_beauty(
    stored: list[StoredPass], roles: list[PassRole], corrected: set[str], twin: str | None
) -> list[PassRole]:
    """Several passes may look like the beauty; the surest stays, the others become plain colour passes."""
    beauties = [i for i, role in enumerate(roles) if role.role == Role.BEAUTY]
    if len(beauties) < 2:
        return roles

    def fitness(i: int) -> tuple[bool, bool, float, bool, int]:
        wanted = twin is not None and roles[i].twin == twin
        return wanted, stored[i].name in corrected, roles[i].sure, roles[i].twin is None, -i

    best = max(beauties, key=fitness)
    reason = f"the beauty is {stored[best].name}"
    others = set(beauties) - {best}
    return [
        replace(role, role=Role.OTHER, sure=0.3, reason=reason) if i in others else role for i, role in enumerate(roles)
    ]


def _search(
    frame: StoredFrame, stored: list[StoredPass], roles: list[PassRole], corrected: set[str], twin: str | None
) -> tuple[list[Candidate], list[PassRole]]:
    """Recipes by proof on sampled pixels; passes that no word explained become lights where the proof says so."""
    samples = sample_frame(frame, list(zip(stored, roles, strict=True)))
    roles = _by_products(stored, roles, samples, corrected)
    by_name = {p.name: role for p, role in zip(stored, roles, strict=True)}
    samples = [replace(sample, role=by_name[sample.name]) for sample in samples]
    beauty = next((s for s in samples if s.role.role == Role.BEAUTY), None)
    if beauty is None:
        beauty = _sum_of_others([s for s in samples if s.name not in corrected], samples)
        reason = "a guess: it is the sum of other passes"
        made = PassRole(Role.BEAUTY, sure=GUESSED, reason=reason)
        roles = [made if beauty and p.name == beauty.name else r for p, r in zip(stored, roles, strict=True)]
        samples = [s for s in samples if s is not beauty]
    terms = [s for s in samples if s.role.role != Role.BEAUTY]
    candidates = search_recipes(twin_family(terms, twin) if twin else terms, beauty)
    return candidates, _promote(stored, roles, candidates, corrected)


def _by_products(
    stored: list[StoredPass], roles: list[PassRole], samples: list[SampledPass], corrected: set[str]
) -> list[PassRole]:
    """Light, colour and lit pass by their numbers: two passes of which no name says anything, and their product."""
    unknown = [s for s in samples if s.role.role == Role.OTHER and s.name not in corrected and s.values.shape[0] >= 3]
    whole = [s for s in samples if s.role.role == Role.COMPONENT and s.role.portion == Portion.TOTAL]
    made: dict[str, PassRole] = {}
    for product in find_products(unknown, [*whole, *unknown]):
        lit = next(s for s in samples if s.name == product.lit)
        component = lit.role.component or product.lit
        reason = f"a guess: {product.light} times {product.colour} is {product.lit}"
        for name, portion in ((product.light, Portion.RAW), (product.colour, Portion.COLOUR)):
            made[name] = PassRole(Role.COMPONENT, None, component, portion, sure=GUESSED, reason=reason)
        if lit.role.role == Role.OTHER:
            made[lit.name] = PassRole(Role.COMPONENT, None, component, Portion.TOTAL, sure=GUESSED, reason=reason)
    return [made.get(p.name, role) for p, role in zip(stored, roles, strict=True)]


def _sum_of_others(unsaid: list[SampledPass], samples: list[SampledPass]) -> SampledPass | None:
    """Where no name says beauty: the brightest of the passes of which none says anything, if others sum to it."""
    unknown = [s for s in unsaid if s.role.role == Role.OTHER and s.values.shape[0] >= 3]
    if not unknown:
        return None
    brightest = max(unknown, key=lambda s: float(np.nansum(np.where(np.isfinite(s.values), s.values, 0.0))))
    found = search_recipes([s for s in samples if s is not brightest], brightest)
    return brightest if any(c.fits and len(c.recipe.terms) > 1 for c in found) else None


def sample_frame(frame: StoredFrame, passes: list[tuple[StoredPass, PassRole]]) -> list[SampledPass]:
    """The passes that a recipe may use, at places that show all of them."""
    useful = {*COLOUR_ROLES, Role.ALPHA, Role.MASK, Role.OTHER, *SHADE_ROLES}
    chosen = [(p, role) for p, role in passes if role.role in useful and _is_light(p, role)]
    if not chosen:
        return []
    level = min(2, min(len(p.levels) for p, _ in chosen) - 1)
    coarse = [as_planes(frame.planes(p.name, level)) for p, _ in chosen]
    places = _full_places(sample_places(coarse), coarse[0].shape[1:], level, chosen[0][0].levels[0][1:])
    return [_sample(frame, p, role, places) for p, role in chosen]


def _sample(frame: StoredFrame, p: StoredPass, role: PassRole, places: tuple[np.ndarray, np.ndarray]) -> SampledPass:
    """A pass at some places; light is added in linear light, so encoded colour is decoded."""
    values = as_planes(frame.planes(p.name)[:3, places[0], places[1]])[:, None, :]
    if not p.colour.encoded or values.shape[0] < 3:
        return SampledPass(p.name, role, p.pixel_type, values)
    linear = as_planes(srgb_decode(values.astype(np.float64)))
    return SampledPass(p.name, role, p.pixel_type, linear, decoded_step(values))


def _is_light(p: StoredPass, role: PassRole) -> bool:
    """Whether a pass can be part of a recipe: colour, or what covers or darkens it; whole numbers are neither."""
    return p.pixel_type != "uint" and (role.role in (Role.ALPHA, Role.MASK, *SHADE_ROLES) or len(p.channels) >= 3)


def _full_places(
    flat: np.ndarray, shape: tuple[int, ...], level: int, full: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray]:
    """Rows and columns at full size of flat indices into a coarser level."""
    rows, columns = np.divmod(flat, shape[1])
    step = 1 << level
    return np.minimum(rows * step, full[0] - 1), np.minimum(columns * step, full[1] - 1)


def _promote(
    stored: list[StoredPass], roles: list[PassRole], candidates: list[Candidate], corrected: set[str]
) -> list[PassRole]:
    proven = {
        term.passes[0]: term.light
        for candidate in candidates
        if candidate.fits and candidate.recipe.name == LIGHTS
        for term in candidate.recipe.terms
        if term.light and len(term.passes) == 1
    }
    return [
        replace(role, role=Role.LIGHT, light=proven[p.name], sure=0.9, reason="as a light it completes the sum exactly")
        if role.role == Role.OTHER and p.name in proven and p.name not in corrected
        else role
        for p, role in zip(stored, roles, strict=True)
    ]


def with_recipes(
    render: Render, frame: StoredFrame, recipes: Sequence[Recipe], progress: Progress = no_progress
) -> Render:
    """A render with these recipes, each proven on every pixel; those that match come first."""
    found = []
    for index, recipe in enumerate(recipes):

        def report_progress(share: float, done: int = index) -> None:
            progress((done + share) / len(recipes), "verifying sum")

        found.append(_found(render, frame, recipe, report_progress))
    found.sort(key=lambda f: not f.exact)
    frame.release()
    return render.model_copy(update={"recipes": tuple(found)})


def _found(render: Render, frame: StoredFrame, recipe: Recipe, report_progress: Callable[[float], None]) -> FoundRecipe:
    proof = prove_recipe(render, frame, recipe, report_progress)
    return FoundRecipe(
        recipe=recipe,
        sentence=recipe_sentence(recipe),
        exact=bool(proof and proof.exact),
        max_abs=proof.max_abs if proof else 0.0,
        rms=proof.rms if proof else 0.0,
        psnr=proof.psnr if proof and isfinite(proof.psnr) else None,
        outside_share=proof.outside_share if proof else 1.0,
    )


def _depth_readings(frame: StoredFrame, stored: list[StoredPass], roles: list[PassRole]) -> dict[str, DepthReading]:
    """What each pass that could be taken for depth measures: the data, and what nobody recognised."""
    position = next((p.name for p, role in zip(stored, roles, strict=True) if role.role == Role.POSITION), None)
    request = [
        p.name for p, role in zip(stored, roles, strict=True) if role.role in _COULD_BE_DEPTH and p.pixel_type != "uint"
    ]
    found = {name: kind_of_depth(frame, name, position) for name in request}
    return {name: DepthReading(kind=kind, reason=reason) for name, (kind, reason) in found.items()}


def _render_pass(p: StoredPass, role: PassRole, findings: list[Diagnostic], depth: DepthReading | None) -> RenderPass:
    if role.role == Role.DEPTH and depth is not None:
        role = replace(role, reason=f"{role.reason}; it holds {WORDS[depth.kind]}: {depth.reason}")
    return RenderPass(
        depth=depth,
        name=p.name,
        role=role.role,
        light=role.light,
        component=role.component,
        part=role.portion,
        twin=role.twin,
        sure=role.sure,
        reason=role.reason,
        file=p.file,
        file_part=p.part_name,
        channels=p.channels,
        pixel_type=p.pixel_type,
        colour=p.colour,
        statistics=p.statistics,
        diagnostics=tuple(findings),
    )
