"""Amounts of CPU, memory and money as exact integers and decimals, and the days and codes that stand beside money.

The text form is the quantity grammar of the Kubernetes API reference (type ``Quantity``): a signed
decimal number followed by at most one suffix, binary (``Ki`` .. ``Ei``), decimal (``n`` .. ``E``) or an
exponent (``e3``). Rounding is always up, as that text asks.
"""

from __future__ import annotations

import re
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation
from fractions import Fraction

from rombel.errors import Fault, refuse

HOURS_PER_MONTH = 730
"""Hours of a month in every bill: 8760 / 12."""

DAYS_PER_BUDGET_MONTH = 30
"""Days of a month in every downtime budget."""

EARLIEST_DAY, MOST_DAYS_AHEAD = date(2000, 1, 1), 400
"""Between these lie the days of price lists and rates."""

LARGEST = 2**63 - 1
"""The largest amount the grammar allows."""

_BINARY = {suffix: 1024**power for power, suffix in enumerate(("", "Ki", "Mi", "Gi", "Ti", "Pi", "Ei"))}
_DECIMAL = {"n": -9, "u": -6, "m": -3, "": 0, "k": 3, "M": 6, "G": 9, "T": 12, "P": 15, "E": 18}
_GRAMMAR = re.compile(r"([+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))(?:([KMGTPE]i|[numkMGTPE])|[eE]([+-]?[0-9]{1,3}))?")
_TYPED = re.compile(r"\s*([0-9]*[.,]?[0-9]+)\s*([A-Za-z]*)\s*")
_THOUSANDS = re.compile(r"[0-9]{1,3}[.,][0-9]{3}")
_TYPED_SUFFIX = {
    "b": "", "kib": "Ki", "mib": "Mi", "gib": "Gi", "tib": "Ti",
    "kb": "k", "mb": "M", "gb": "G", "tb": "T", "g": "G", "t": "T",
    "core": "", "cores": "", "vcpu": "", "cpu": "", "cpus": "",
}  # fmt: skip


def parse_quantity(text: str, path: str = "") -> Fraction:
    """Return the exact value of a quantity as the API's grammar reads it.

    Parameters
    ----------
    text
        For example ``250m``, ``0.5``, ``1Gi``, ``129e6``.
    path
        Where the text stood, for the error.

    Raises
    ------
    InputRefused
        When the text is not in the grammar or above 2^63 - 1.

    """
    match = _GRAMMAR.fullmatch(text)
    # The commonest slips get a hint of their own.
    if match is None:
        raise refuse("quantity.grammar", path, f"'{text}' is not a quantity.", _hint(text))
    number, suffix, exponent = match.groups()
    value = Fraction(number)
    if exponent is not None:
        value *= Fraction(10) ** int(exponent)
    elif suffix in _BINARY:
        value *= _BINARY[suffix]
    else:
        value *= Fraction(10) ** _DECIMAL[suffix or ""]
    if abs(value) > LARGEST:
        raise refuse("quantity.large", path, f"'{text}' is above 2^63 - 1.", "Write a smaller amount.")
    return value


def _hint(text: str) -> str:
    """Return what would fix the commonest slips."""
    if re.fullmatch(r"[0-9.]+K", text):
        return "Kilo is a small k; 1024 is Ki."
    if re.fullmatch(r"[0-9.]+\s*[kKmMgGtT][iI]?[bB]", text):
        return "Leave the B out: write Ki, Mi or Gi."
    return "Write a number with at most one suffix, such as 250m, 0.5, 1500Mi or 2Gi."


def cpu_millicores(text: str, path: str = "") -> int:
    """Return millicores of a CPU quantity, rounded up; negative amounts are refused."""
    return _non_negative(parse_quantity(text, path) * 1000, text, path)


def memory_bytes(text: str, path: str = "") -> int:
    """Return bytes of a memory or disk quantity, rounded up; negative amounts are refused."""
    return _non_negative(parse_quantity(text, path), text, path)


def _non_negative(value: Fraction, text: str, path: str) -> int:
    if value < 0:
        # A request under nothing is never meant.
        raise refuse("quantity.negative", path, f"'{text}' is negative.", "Requests start at 0.")
    # Up to a whole unit: rounding down would lose what was asked for.
    return -(-value.numerator // value.denominator)


def typed_quantity(text: str, path: str = "") -> str:
    """Return the grammar's form of an amount as people type it: ``2 GiB`` gives ``2Gi``, ``1,5`` gives ``1.5``.

    Text that is not understood is returned as it came, so that the strict reader refuses it with its reason.

    Raises
    ------
    InputRefused
        Where a point or comma may part thousands or decimals: ``2,048Mi`` is two or two thousand, according to who writes it.

    """
    match = _TYPED.fullmatch(text)
    if match is None:
        # Not in a form that people type: the grammar says what is wrong with it.
        return text.strip()
    number, suffix = match.groups()
    unit = _TYPED_SUFFIX.get(suffix.lower(), suffix)
    return typed_number(number, path, shown=text.strip(), whole=unit in ("m", "u", "n")) + unit


def typed_number(text: str, path: str = "", *, shown: str = "", whole: bool = False) -> str:
    """Return a number as people type it with a decimal point; ``whole``: of a unit that is not parted, so that a point parts thousands."""
    text = text.strip()
    # "1,500" is fifteen hundred to some and one and a half to others: asked, not guessed.
    if _THOUSANDS.fullmatch(text) and ("," in text or whole):
        apart = re.split("[.,]", text)
        fix = f"Write {''.join(apart)}, or {apart[0]}.{apart[1].rstrip('0') or '0'} if that is meant."
        raise refuse("number.thousands", path, f"'{shown or text}' may be read in two ways.", fix)
    return text.replace(",", ".")


def parse_decimal(text: str, path: str = "") -> Decimal:
    """Return a plain decimal number as people type it, exactly; anything else is refused."""
    number = typed_number(text, path)
    if not re.fullmatch(r"-?[0-9]{1,18}(\.[0-9]{1,12})?", number):
        fix = "Write digits, and a point before decimals: 12 or 0.5."
        raise refuse("number.decimal", path, f"'{text.strip()[:40]}' is no number.", fix)
    return Decimal(number)


def typed_cpu(text: str, path: str = "") -> int:
    """Return millicores of CPU as people type it: cores, or thousandths of one with ``m``; other units are refused."""
    amount = typed_quantity(text, path)
    found = cpu_millicores(amount, path)
    # "2G" of CPU is an amount, but hardly of CPU.
    if amount[-1:].isalpha() and amount[-1] not in "mun":
        fix = "Write cores, such as 1.5, or thousandths of one, such as 1500m."
        raise refuse("quantity.cpu", path, f"'{text.strip()[:40]}' is no amount of CPU.", fix)
    return found


def typed_bytes(text: str, path: str = "") -> int:
    """Return bytes of memory or disk as people type them."""
    return memory_bytes(typed_quantity(text, path), path)


def show_cpu(millicores: int) -> str:
    """Return millicores in the shortest exact form of the grammar: ``1500m`` or ``2``."""
    return str(millicores // 1000) if millicores % 1000 == 0 else f"{millicores}m"


def show_memory(amount_bytes: int) -> str:
    """Return bytes in the largest binary unit that is exact: ``1536Mi``, ``2Gi`` or plain bytes."""
    # The largest unit that divides it: shown amounts can be typed back without loss.
    for suffix in ("Ti", "Gi", "Mi", "Ki"):
        if amount_bytes and amount_bytes % _BINARY[suffix] == 0:
            return f"{amount_bytes // _BINARY[suffix]}{suffix}"
    return str(amount_bytes)


def parse_day(text: str, path: str = "") -> date:
    """Return the day that a text states as year-month-day; anything else is refused."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        fix = "Write year-month-day, such as 2026-11-01."
        raise refuse("catalogue.date", path, f"'{text}' is no day.", fix) from None


def day_fault(day: date, today: date) -> Fault | None:
    """Return what is wrong with the day of a price list or of rates: it lies ahead, or in another century; None: nothing."""
    if EARLIEST_DAY <= day <= today + timedelta(days=MOST_DAYS_AHEAD):
        return None
    reason = f"{day} is before {EARLIEST_DAY} or more than {MOST_DAYS_AHEAD} days ahead."
    return Fault("catalogue.day", "dated", reason, "Write the day from which the prices hold.")


def parse_currency(text: str, path: str = "") -> str:
    """Return a currency's code: three capital letters; anything else is refused."""
    if not re.fullmatch(r"[A-Z]{3}", text):
        raise refuse("money.code", path, f"'{text}' is no currency code.", "Write three letters, such as EUR.")
    return text


def parse_price(text: object, path: str = "") -> Decimal:
    """Return a price as an exact decimal; text only, never a binary float.

    Raises
    ------
    InputRefused
        When it is not a decimal string, not above zero, or has more than nine decimals.

    """
    try:
        # A float has lost its digits before it gets here.
        value = Decimal(text) if isinstance(text, str) else None
    except InvalidOperation:
        value = None
    if value is None or not value.is_finite():
        raise refuse("price.text", path, f"{text!r} is not a decimal string.", 'Write it as text, such as "0.1840".')
    if value <= 0:
        raise refuse("price.sign", path, f"{text!r} is not above zero.", "Prices are above zero.")
    if value >= 10**6:
        raise refuse("price.large", path, f"{text!r} is a million or more an hour.", "Check the price and its unit.")
    exponent = value.as_tuple().exponent
    if isinstance(exponent, int) and exponent < -9:
        raise refuse("price.digits", path, f"{text!r} has more than nine decimals.", "Round it to nine decimals.")
    return value
