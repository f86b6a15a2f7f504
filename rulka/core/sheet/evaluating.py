"""A formula's tree to a closure that gives its value at any cell; formulas of one shape share one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal, DivisionByZero, InvalidOperation, Overflow

from rulka.core.errors import one_of
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box
from rulka.core.sheet.environment import Area, Environment
from rulka.core.sheet.parsing import (
    Binary,
    Constant,
    ListedValues,
    Missing,
    NamedReference,
    Node,
    Reference,
    SheetCall,
    Spilled,
    Unary,
    parse_tokens,
)
from rulka.core.sheet.registry import FUNCTIONS, LEFT_OUT, Function
from rulka.core.sheet.tokens import FormulaFault, Token
from rulka.core.sheet.values import (
    DIV0,
    DIVIDED,
    EXACT,
    MOST_TEXT,
    NA,
    NAME,
    NUM,
    PENDING,
    REF,
    VALUE,
    ZERO,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    as_flag,
    as_number,
    as_text,
    compare,
    foremost,
    single,
    spread,
)

MOST_TREE = 200
"""How deep a tree of operators and arguments may be."""


Run = Callable[[Environment], Value]


@dataclass(frozen=True, eq=False)
class Shape:
    """What formulas that are copies of each other share: tree, closure, and what they read."""

    node: Node
    run: Run
    references: tuple[Reference, ...]
    spills: tuple[Reference, ...]
    names: tuple[str, ...]
    functions: frozenset[str]
    is_volatile: bool

    def ledger_calls(self) -> bool:
        """Whether it asks the ledger."""
        return any(name.startswith("RULKA.") for name in self.functions)


_SHAPES: dict[str, Shape | FormulaFault] = {}
MOST_SHAPES = 20_000


def shape_from(key: str, tokens: Sequence[Token], row: int, column: int) -> Shape:
    """The shape of a formula by its key, compiled when it is met first; raises FormulaFault."""
    found = _SHAPES.get(key)
    if found is None:
        if len(_SHAPES) >= MOST_SHAPES:
            _SHAPES.clear()
        try:
            found = compiled(parse_tokens(tokens, row, column))
        except FormulaFault as fault:
            found = fault
        _SHAPES[key] = found
    if isinstance(found, FormulaFault):
        raise found
    return found


def compiled(node: Node) -> Shape:
    """A tree with its closure; raises FormulaFault for what can't be calculated in any cell."""
    every = list(_walk(node, 0))
    functions = frozenset(part.name for part in every if isinstance(part, SheetCall))
    references = tuple(part for part in every if isinstance(part, Reference))
    spills = tuple(part.anchor for part in every if isinstance(part, Spilled))
    local = {name for part in every if isinstance(part, SheetCall) and part.name == "LET" for name in _variables(part)}
    names = tuple(
        dict.fromkeys(part.name for part in every if isinstance(part, NamedReference) and part.name not in local)
    )
    volatile = any(name in FUNCTIONS and FUNCTIONS[name].volatile for name in functions)
    return Shape(node, _compile(node), references, spills, names, functions, volatile)


def _variables(call: SheetCall) -> Iterator[str]:
    """The names that LET gives."""
    for argument in call.arguments[:-1:2]:
        if isinstance(argument, NamedReference):
            yield argument.name


def _walk(node: Node, depth: int) -> Iterator[Node]:
    if depth > MOST_TREE:
        raise FormulaFault(f"It is nested more than {MOST_TREE} deep.", NUM)
    yield node
    match node:
        case Unary():
            yield from _walk(node.operand, depth + 1)
        case Binary():
            # long chains lean to the left; both sides are one deeper
            yield from _walk(node.left, depth + 1)
            yield from _walk(node.right, depth + 1)
        case SheetCall():
            for argument in node.arguments:
                yield from _walk(argument, depth + 1)


def _compile(node: Node, *, area: bool = False) -> Run:
    """The closure of a tree; with `area` a reference gives its area even where it is one cell."""
    match node:
        case Constant(value):
            return lambda environment: value
        case Reference():
            return _reference(node, area)
        case Spilled(anchor):
            return _spilled(anchor, area)
        case NamedReference(name):
            return _named(name, area)
        case Unary(operator, operand):
            return _unary(operator, operand)
        case Binary(operator, left, right):
            return _binary(operator, _compile(left), _compile(right))
        case ListedValues(rows):
            listed = Array(rows)
            return lambda environment: listed
        case Missing():
            return lambda environment: LEFT_OUT
        case SheetCall(name, arguments):
            return _call(name, arguments)
    raise AssertionError(node)


# references -----------------------------------------------------------------------------------------------------------


def box_of(reference: Reference, row: int, column: int) -> Box | None:
    """Where a reference points from a cell; None outside of a sheet."""
    fixed = reference.fixed
    top = 0 if reference.top is None else reference.top if fixed[0] else reference.top + row
    left = 0 if reference.left is None else reference.left if fixed[1] else reference.left + column
    if reference.is_cell:
        if not (0 <= top < MOST_ROWS and 0 <= left < MOST_COLUMNS):
            return None
        return Box(top, left, top, left)
    bottom = MOST_ROWS - 1 if reference.bottom is None else reference.bottom if fixed[2] else reference.bottom + row
    right = MOST_COLUMNS - 1 if reference.right is None else reference.right if fixed[3] else reference.right + column
    if top > bottom:
        top, bottom = bottom, top
    if left > right:
        left, right = right, left
    if top < 0 or left < 0 or bottom >= MOST_ROWS or right >= MOST_COLUMNS:
        return None
    return Box(top, left, bottom, right)


def _sheet(environment: Environment, name: str) -> int | None:
    return environment.calculation.sheet_number(name) if name else environment.sheet


def _no_sheet(name: str) -> SheetError:
    return SheetError(REF.code, f"There is no sheet '{name}'.")


def _reference(node: Reference, area: bool) -> Run:
    fixed_row, fixed_column = node.fixed[0], node.fixed[1]
    if node.is_cell and not area and not node.sheet:
        row, column = node.top or 0, node.left or 0

        def cell(environment: Environment) -> Value:
            at = row if fixed_row else row + environment.row
            on = column if fixed_column else column + environment.column
            if not (0 <= at < MOST_ROWS and 0 <= on < MOST_COLUMNS):
                return REF
            return environment.calculation.value_at((environment.sheet, at, on))

        return cell

    def read(environment: Environment) -> Value:
        sheet = _sheet(environment, node.sheet)
        box = box_of(node, environment.row, environment.column)
        if sheet is None:
            return _no_sheet(node.sheet)
        if box is None:
            return REF
        if node.is_cell and not area:
            return environment.calculation.value_at((sheet, box.top, box.left))
        return Area(environment.calculation, sheet, box)

    return read


def _spilled(anchor: Reference, area: bool) -> Run:
    def read(environment: Environment) -> Value:
        sheet = _sheet(environment, anchor.sheet)
        box = box_of(anchor, environment.row, environment.column)
        if sheet is None:
            return _no_sheet(anchor.sheet)
        if box is None:
            return REF
        return environment.calculation.spilled_at((sheet, box.top, box.left))

    return read


def _named(name: str, area: bool) -> Run:
    def read(environment: Environment) -> Value:
        if name in environment.locals:
            return environment.locals[name]
        meaning = environment.calculation.name_meaning(name)
        if meaning is None:
            return SheetError(NAME.code, f"Nothing is named '{name}'.")
        if area and isinstance(meaning.node, Reference):
            return _reference(meaning.node, True)(environment)
        return meaning.run(environment)

    return read


# operators ------------------------------------------------------------------------------------------------------------


def _unary(operator: str, operand: Node) -> Run:
    if operator == "@":
        return _meeting(_compile(operand, area=True))
    inner = _compile(operand)
    negative = operator == "-"

    def one(value: Scalar) -> Scalar:
        if isinstance(value, SheetError):
            return value
        try:
            number = as_number(value)
            return -number if negative else EXACT.multiply(number, Decimal("0.01"))
        except Fault as fault:
            return fault.error

    def run(environment: Environment) -> Value:
        value = inner(environment)
        if type(value) is Array or type(value) is Area:
            return spread(one, [value])
        return one(value)

    return run


def _meeting(inner: Run) -> Run:
    """What of an area stands in the formula's own row or column."""

    def run(environment: Environment) -> Value:
        value = inner(environment)
        if not isinstance(value, Area):
            return value.rows[0][0] if isinstance(value, Array) else value
        box = value.box
        row = box.top if box.rows == 1 else environment.row
        column = box.left if box.columns == 1 else environment.column
        if not box.holds(row, column):
            return VALUE
        return environment.calculation.value_at((value.sheet, row, column))

    return run


def _power(base: Decimal, exponent: Decimal) -> Scalar:
    if base == 0 and exponent == 0:
        return NUM
    if base == 0 and exponent < 0:
        return DIV0
    if base < 0 and exponent != exponent.to_integral_value():
        return SheetError(NUM.code, "A negative number has no such power.")
    if abs(exponent) > 10_000:
        return NUM
    return DIVIDED.power(base, exponent)


def divide(left: Decimal, right: Decimal) -> Scalar:
    """A quotient of 28 digits."""
    return DIV0 if right == 0 else DIVIDED.divide(left, right)


ARITHMETIC: dict[str, Callable[[Decimal, Decimal], Scalar]] = {
    "+": EXACT.add,
    "-": EXACT.subtract,
    "*": EXACT.multiply,
    "/": divide,
    "^": _power,
}
COMPARISONS: dict[str, Callable[[int], bool]] = {
    "=": lambda order: order == 0,
    "<>": lambda order: order != 0,
    "<": lambda order: order < 0,
    ">": lambda order: order > 0,
    "<=": lambda order: order <= 0,
    ">=": lambda order: order >= 0,
}


def joined(left: Scalar, right: Scalar) -> Scalar:
    """Two scalars as one text."""
    text = as_text(left) + as_text(right)
    return text if len(text) <= MOST_TEXT else SheetError(VALUE.code, f"A text holds at most {MOST_TEXT:,} characters.")


def _scalar_operation(operator: str) -> Callable[[Scalar, Scalar], Scalar]:
    if operator in ARITHMETIC:
        work = ARITHMETIC[operator]

        def combined(left: Scalar, right: Scalar) -> Scalar:
            return work(as_number(left), as_number(right))
    elif operator == "&":
        combined = joined
    else:
        holds = COMPARISONS[operator]

        def combined(left: Scalar, right: Scalar) -> Scalar:
            return holds(compare(left, right))

    def one(left: Scalar, right: Scalar) -> Scalar:
        if isinstance(left, SheetError):
            return foremost([left, right]) if isinstance(right, SheetError) else left
        if isinstance(right, SheetError):
            return right
        try:
            return combined(left, right)
        except Fault as fault:
            return fault.error
        except (Overflow, InvalidOperation):
            return NUM
        except DivisionByZero:
            return DIV0

    return one


def _binary(operator: str, left: Run, right: Run) -> Run:
    one = _scalar_operation(operator)
    quick = ARITHMETIC.get(operator) if operator in "+-*" else None

    def run(environment: Environment) -> Value:
        a, b = left(environment), right(environment)
        if quick is not None and type(a) is Decimal and type(b) is Decimal:
            try:
                return quick(a, b)
            except (Overflow, InvalidOperation):
                return NUM
        kind, other = type(a), type(b)
        if kind is Array or kind is Area or other is Array or other is Area:
            return spread(one, [a, b])
        return one(a, b)

    return run


# calls ----------------------------------------------------------------------------------------------------------------


def _call(name: str, arguments: tuple[Node, ...]) -> Run:
    if name in SPECIAL:
        return SPECIAL[name](arguments)
    function = FUNCTIONS.get(name)
    if function is None:
        hint = one_of(name, FUNCTIONS)
        raise FormulaFault(f"There is no function {name}. {hint if hint.startswith('Did') else ''}".strip())
    wrong = function.counts(len(arguments))
    if wrong:
        raise FormulaFault(wrong, VALUE)
    runs = [_compile(argument, area=function.area) for argument in arguments]
    return _invoked(function, runs)


def _invoked(function: Function, runs: list[Run]) -> Run:
    def run(environment: Environment) -> Value:
        return function.invoke(environment, [inner(environment) for inner in runs])

    return run


def _given(value: Value, default: Value) -> Value:
    return default if value is LEFT_OUT else value


def _expect(name: str, arguments: tuple[Node, ...], least: int, most: int, signature: str) -> None:
    if not least <= len(arguments) <= most:
        raise FormulaFault(f"{name} is written {signature}.", VALUE)


def _chosen(test: Value, then: Run, otherwise: Run, environment: Environment) -> Value:
    """One of two values by a test; by an array of tests, each for itself."""
    test = single(test)
    if isinstance(test, Array):
        return spread(_pick, [test, _given(then(environment), ZERO), _given(otherwise(environment), ZERO)])
    if isinstance(test, SheetError):
        return test
    try:
        chosen = then if as_flag(test) else otherwise
    except Fault as fault:
        return fault.error
    return _given(chosen(environment), ZERO)


def _pick(test: Scalar, then: Scalar, otherwise: Scalar) -> Scalar:
    if isinstance(test, SheetError):
        return test
    try:
        return then if as_flag(test) else otherwise
    except Fault as fault:
        return fault.error


def _if(arguments: tuple[Node, ...]) -> Run:
    _expect("IF", arguments, 2, 3, "IF(test, then, [otherwise])")
    test, then = _compile(arguments[0]), _compile(arguments[1])
    otherwise: Run = _compile(arguments[2]) if len(arguments) == 3 else (lambda environment: False)
    return lambda environment: _chosen(_given(test(environment), False), then, otherwise, environment)


def _ifs(arguments: tuple[Node, ...]) -> Run:
    if not arguments or len(arguments) % 2:
        raise FormulaFault("IFS is written IFS(test, then, [test, then]...).", VALUE)
    runs = [_compile(argument) for argument in arguments]

    def run(environment: Environment) -> Value:
        def of(place: int) -> Value:
            if place == len(runs):
                return SheetError(NA.code, "No test of IFS holds.")
            return _chosen(
                _given(runs[place](environment), False), runs[place + 1], lambda _: of(place + 2), environment
            )

        return of(0)

    return run


def _caught(name: str, codes: Callable[[SheetError], bool]) -> Callable[[tuple[Node, ...]], Run]:
    def build(arguments: tuple[Node, ...]) -> Run:
        _expect(name, arguments, 2, 2, f"{name}(value, instead)")
        value_of, instead_of = (_compile(argument) for argument in arguments)

        def run(environment: Environment) -> Value:
            value = single(_given(value_of(environment), ZERO))
            if value is PENDING:
                return PENDING
            if isinstance(value, Array):
                if any(isinstance(one, SheetError) and one is PENDING for one in value.flat()):
                    return PENDING
                if not any(isinstance(one, SheetError) for one in value.flat()):
                    return value
                instead = _given(instead_of(environment), ZERO)
                return spread(lambda a, b: b if isinstance(a, SheetError) and codes(a) else a, [value, instead])
            if isinstance(value, SheetError) and codes(value):
                return _given(instead_of(environment), ZERO)
            return value

        return run

    return build


def _choose(arguments: tuple[Node, ...]) -> Run:
    _expect("CHOOSE", arguments, 2, 255, "CHOOSE(number, first, [further]...)")
    runs = [_compile(argument) for argument in arguments]

    def run(environment: Environment) -> Value:
        chosen = single(_given(runs[0](environment), ZERO))
        if isinstance(chosen, Array):
            every = [_given(other(environment), ZERO) for other in runs[1:]]

            def one(at: Scalar, *values: Scalar) -> Scalar:
                place = _place(at, len(values))
                return place if isinstance(place, SheetError) else values[place]

            return spread(one, [chosen, *every])
        place = _place(chosen, len(runs) - 1)
        return place if isinstance(place, SheetError) else _given(runs[place + 1](environment), ZERO)

    return run


def _place(value: Scalar, count: int) -> int | SheetError:
    if isinstance(value, SheetError):
        return value
    try:
        number = as_number(value)
    except Fault as fault:
        return fault.error
    return int(number) - 1 if 1 <= number < count + 1 else SheetError(VALUE.code, f"CHOOSE has no value {number}.")


def _switch(arguments: tuple[Node, ...]) -> Run:
    _expect("SWITCH", arguments, 3, 255, "SWITCH(value, case, result, [case, result]..., [otherwise])")
    runs = [_compile(argument) for argument in arguments]
    pairs = [(runs[at], runs[at + 1]) for at in range(1, len(runs) - 1, 2)]
    last: Run = runs[-1] if len(runs) % 2 == 0 else (lambda environment: SheetError(NA.code, "No case of SWITCH fits."))

    def run(environment: Environment) -> Value:
        value = single(_given(runs[0](environment), ZERO))
        if isinstance(value, Array):
            cases = [single(case(environment)) for case, _ in pairs]
            results = [_given(result(environment), ZERO) for _, result in pairs]

            def one(wanted: Scalar, otherwise: Scalar, *rest: Scalar) -> Scalar:
                if isinstance(wanted, SheetError):
                    return wanted
                for case, result in zip(rest[: len(pairs)], rest[len(pairs) :], strict=True):
                    if not isinstance(case, SheetError) and compare(wanted, case) == 0:
                        return result
                return otherwise

            return spread(one, [value, last(environment), *cases, *results])
        if isinstance(value, SheetError):
            return value
        for case, result in pairs:
            wanted = single(case(environment))
            if isinstance(wanted, SheetError):
                return wanted
            if not isinstance(wanted, Array) and compare(value, wanted) == 0:
                return _given(result(environment), ZERO)
        return last(environment)

    return run


def _let(arguments: tuple[Node, ...]) -> Run:
    if len(arguments) < 3 or len(arguments) % 2 == 0 or len(arguments) > 253:
        raise FormulaFault("LET is written LET(name, value, [name, value]..., result).", VALUE)
    names: list[str] = []
    for node in arguments[:-1:2]:
        if not isinstance(node, NamedReference):
            raise FormulaFault("LET needs a name for each of its values.", VALUE)
        names.append(node.name)
    values = [_compile(node, area=True) for node in arguments[1:-1:2]]
    result = _compile(arguments[-1])

    def run(environment: Environment) -> Value:
        former = environment.locals
        environment.locals = dict(former)
        try:
            for name, value in zip(names, values, strict=True):
                found = _given(value(environment), ZERO)
                if isinstance(found, Area) and found.box.size == 1:
                    found = single(found)
                environment.locals[name] = found
            return result(environment)
        finally:
            environment.locals = former

    return run


SPECIAL: dict[str, Callable[[tuple[Node, ...]], Run]] = {
    "IF": _if,
    "IFS": _ifs,
    "IFERROR": _caught("IFERROR", lambda error: True),
    "IFNA": _caught("IFNA", lambda error: error.code == NA.code),
    "CHOOSE": _choose,
    "SWITCH": _switch,
    "LET": _let,
}
"""Functions that calculate only what they need, with how they are compiled."""


SPECIAL_DOCS: dict[str, tuple[str, str]] = {
    "IF": ("IF(test, then, [otherwise])", 'One of two values by a test. `=IF(B2>0, "up", "down")`'),
    "IFS": (
        "IFS(test, then, [test, then]...)",
        'The value of the first test that holds. `=IFS(B2>9, "high", B2>0, "low")`',
    ),
    "IFERROR": ("IFERROR(value, instead)", "A value, or another one where it is an error. `=IFERROR(B2/C2, 0)`"),
    "IFNA": ("IFNA(value, instead)", "A value, or another one where it is #N/A. `=IFNA(XLOOKUP(A2, D2:D9, E2:E9), 0)`"),
    "CHOOSE": ("CHOOSE(number, first, [further]...)", 'A value by its number. `=CHOOSE(2, "a", "b")`'),
    "SWITCH": (
        "SWITCH(value, case, result, [case, result]..., [otherwise])",
        'The result of the case that a value is. `=SWITCH(B2, 1, "one", "other")`',
    ),
    "LET": ("LET(name, value, [name, value]..., result)", "Names for parts of a formula. `=LET(x, B2*2, x+1)`"),
}
"""How these are written and what they do, for the reference."""


def result_of(value: Value) -> Value:
    """What a cell shows of a formula's value: an area as its cells, an empty one as zero."""
    if isinstance(value, Area):
        try:
            value = value.array()
        except Fault as fault:
            return fault.error
    if isinstance(value, Array) and value.height == value.width == 1:
        value = value.rows[0][0]
    if value is None or value is LEFT_OUT:
        return ZERO
    return value
