"""Two lists of the same people, kept by two offices, with what writing and copying do to them; and who is who.

Made up in the example world: growers as the exchange and as a hub write them down. Names, places and dates follow
their real frequencies: few are common, many are rare; people of one house share their address and their surname.
"""

from __future__ import annotations

import random
from datetime import date, timedelta
from typing import NamedTuple

import polars as pl

Person = dict[str, str]

_GIVEN = [
    "Ada",
    "Agnes",
    "Alan",
    "Albert",
    "Alice",
    "Amos",
    "Andrew",
    "Ann",
    "Anna",
    "Annie",
    "Arthur",
    "Barbara",
    "Beatrice",
    "Ben",
    "Bess",
    "Bridget",
    "Caleb",
    "Carol",
    "Cecil",
    "Charles",
    "Charlotte",
    "Clara",
    "Clement",
    "Daisy",
    "Daniel",
    "David",
    "Dora",
    "Dorothy",
    "Edgar",
    "Edith",
    "Edmund",
    "Edward",
    "Eleanor",
    "Eliza",
    "Ella",
    "Ellen",
    "Elsie",
    "Emily",
    "Emma",
    "Ernest",
    "Esther",
    "Ethan",
    "Eve",
    "Fanny",
    "Felix",
    "Flora",
    "Frances",
    "Francis",
    "Frank",
    "Fred",
    "George",
    "Gertrude",
    "Gilbert",
    "Grace",
    "Hannah",
    "Harold",
    "Harriet",
    "Harry",
    "Helen",
    "Henry",
    "Hilda",
    "Hugh",
    "Ida",
    "Irene",
    "Isaac",
    "Ivy",
    "Jack",
    "Jacob",
    "James",
    "Jane",
    "Janet",
    "Jasper",
    "Jean",
    "Jenny",
    "Jessie",
    "Joan",
    "John",
    "Jonathan",
    "Joseph",
    "Joshua",
    "Julia",
    "Kate",
    "Katherine",
    "Laura",
    "Lawrence",
    "Leonard",
    "Lewis",
    "Lily",
    "Louisa",
    "Lucas",
    "Lucy",
    "Luke",
    "Mabel",
    "Margaret",
    "Maria",
    "Mark",
    "Martha",
    "Martin",
    "Mary",
    "Matilda",
    "Matthew",
    "May",
    "Michael",
    "Mildred",
    "Miriam",
    "Nathan",
    "Nell",
    "Nicholas",
    "Nora",
    "Olive",
    "Oliver",
    "Oscar",
    "Owen",
    "Patrick",
    "Paul",
    "Peggy",
    "Percy",
    "Peter",
    "Philip",
    "Phoebe",
    "Rachel",
    "Ralph",
    "Rebecca",
    "Reuben",
    "Richard",
    "Robert",
    "Roger",
    "Rosa",
    "Rose",
    "Ruth",
    "Sally",
    "Samuel",
    "Sarah",
    "Silas",
    "Simon",
    "Sophia",
    "Stephen",
    "Susan",
    "Thomas",
    "Tobias",
    "Una",
    "Victor",
    "Violet",
    "Walter",
    "William",
]
_FIRST = [
    "Ash",
    "Bar",
    "Beck",
    "Birch",
    "Black",
    "Bram",
    "Bur",
    "Car",
    "Clay",
    "Col",
    "Cran",
    "Dal",
    "Dun",
    "East",
    "Elm",
    "Fair",
    "Far",
    "Fen",
    "Field",
    "Gar",
    "Green",
    "Hal",
    "Hart",
    "Haw",
    "Hay",
    "Hol",
    "Ken",
    "Lang",
    "Lark",
    "Lin",
    "Mar",
    "Mead",
    "Mil",
    "Moor",
    "Nor",
    "Oak",
    "Par",
    "Pen",
    "Red",
    "Rock",
    "Row",
    "Rush",
    "Sand",
    "Shel",
    "Sted",
    "Stan",
    "Stock",
    "Sut",
    "Thorn",
    "Up",
    "Wal",
    "War",
    "Wat",
    "West",
    "Wheat",
    "White",
    "Whit",
    "Wil",
    "Win",
    "Wood",
    "Wy",
]
_LAST = [
    "by",
    "combe",
    "cott",
    "den",
    "dale",
    "er",
    "ers",
    "field",
    "ford",
    "gate",
    "ham",
    "hurst",
    "ing",
    "ings",
    "ington",
    "land",
    "ley",
    "ling",
    "low",
    "man",
    "more",
    "mond",
    "ridge",
    "shaw",
    "son",
    "ston",
    "ton",
    "way",
    "well",
    "wick",
    "win",
    "worth",
    "wood",
    "yard",
]
_WAYS = [
    "Lane",
    "Road",
    "Street",
    "Row",
    "Close",
    "Hill",
    "Green",
    "Way",
    "Drove",
    "Bank",
    "Walk",
    "Rise",
    "Court",
    "Terrace",
    "Place",
]
_SEEN = {"o": "0", "l": "1", "s": "5", "b": "8", "m": "rn", "e": "c", "h": "b", "g": "q", "i": "l", "u": "v"}
_HEARD = (("ph", "f"), ("ck", "k"), ("th", "t"), ("ee", "ea"), ("ou", "ow"), ("y", "i"), ("c", "k"), ("tt", "t"),
          ("ll", "l"), ("er", "ar"), ("oo", "u"), ("wh", "w"), ("son", "sen"), ("ie", "y"))  # fmt: skip
_KEYS = "qwertyuiop asdfghjkl zxcvbnm"


class Lists(NamedTuple):
    """Two tables with a column `id`, and the pairs of ids that are one person."""

    left: pl.DataFrame
    right: pl.DataFrame
    same: set[tuple[str, str]]


def people(many: int = 5_000, both: float = 0.8, seed: int = 5, faults: float = 1.5) -> Lists:
    """Two lists of so many people, of whom a share stands in both; `faults` a person, on average."""
    pick = random.Random(seed)
    total = many + int(many * (1 - both))
    all_of_them = _households(pick, total)
    shared = int(many * both)
    left = [dict(person) for person in all_of_them[:many]]
    other = [dict(person) for person in [*all_of_them[:shared], *all_of_them[many:]]][:many]
    right = [_spoilt(person, pick, faults) for person in other]
    for person in left:
        _blanks(person, pick, 0.03)
    ids = [f"E-{n:05d}" for n in pick.sample(range(100_000), len(left))]
    its = [f"H-{n:05d}" for n in pick.sample(range(100_000), len(right))]
    same = set(zip(ids[:shared], its[:shared], strict=True))
    one = pl.DataFrame([{"id": key, **person} for key, person in zip(ids, left, strict=True)])
    two = pl.DataFrame([{"id": key, **person} for key, person in zip(its, right, strict=True)])
    return Lists(one.sample(fraction=1, shuffle=True, seed=1), two.sample(fraction=1, shuffle=True, seed=2), same)


def _households(pick: random.Random, many: int) -> list[Person]:
    surnames = list({f"{a}{b}" for a in _FIRST for b in _LAST})
    surnames = sorted(surnames)
    pick.shuffle(surnames)
    often = [1 / (n + 4) for n in range(len(surnames))]
    given_often = [1 / (n + 3) for n in range(len(_GIVEN))]
    given = list(_GIVEN)
    pick.shuffle(given)
    places = [f"{a}{b}" for a in pick.sample(_FIRST, 25) for b in pick.sample(_LAST, 4)]
    codes = {place: f"L{n // 10 + 1}{chr(65 + n % 10)} {pick.randint(1, 9)}" for n, place in enumerate(places)}
    found: list[Person] = []
    while len(found) < many:
        place = pick.choices(places, [1 / (n + 5) for n in range(len(places))])[0]
        house = {
            "surname": pick.choices(surnames, often)[0],
            "house": str(pick.randint(1, 150)) if pick.random() > 0.1 else "",
            "street": f"{pick.choice(_FIRST)}{pick.choice(_LAST)} {pick.choice(_WAYS)}",
            "place": place,
            "postcode": codes[place] + "".join(pick.choice("ABDEFGHJLN") for _ in "12"),
        }
        for _ in range(pick.choices([1, 2, 3, 4], [5, 3, 1, 1])[0]):
            born = date(1930, 1, 1) + timedelta(days=pick.randint(0, 27_000))
            phone = "0" + "".join(pick.choice("0123456789") for _ in range(9))
            found.append(
                {
                    "given name": pick.choices(given, given_often)[0],
                    "surname": house["surname"] if pick.random() > 0.1 else pick.choices(surnames, often)[0],
                    **{name: house[name] for name in ("house", "street", "place", "postcode")},
                    "born": born.isoformat(),
                    "phone": phone if pick.random() > 0.35 else "",
                }
            )
    pick.shuffle(found)
    return found[:many]


def _spoilt(person: Person, pick: random.Random, faults: float) -> Person:
    person = dict(person)
    for _ in range(sum(pick.random() < faults / 4 for _ in range(4))):
        name = pick.choices(list(person), [5, 5, 1, 4, 3, 2, 3, 1])[0]
        person[name] = _mistyped(person[name], pick)
    chance = pick.random()
    if chance < 0.05:
        person["given name"], person["surname"] = person["surname"], person["given name"]
    elif chance < 0.08:
        year, month, day = (person["born"] + "--").split("-")[:3]
        if day.isdigit() and int(day) <= 12:
            person["born"] = f"{year}-{day}-{month}"
    elif chance < 0.13:  # moved
        person |= {"house": str(pick.randint(1, 150)), "street": f"{pick.choice(_FIRST)}{pick.choice(_LAST)} Lane"}
        person["phone"] = ""
    elif chance < 0.15:
        person["given name"] = person["given name"][:1]
    elif chance < 0.17:
        person["surname"] = f"{pick.choice(_FIRST)}{pick.choice(_LAST)}"  # another name since
    if pick.random() < 0.2:
        person["born"] = ""
    _blanks(person, pick, 0.05)
    return person


def _blanks(person: Person, pick: random.Random, share: float) -> None:
    for name in ("given name", "house", "street", "place", "postcode", "phone"):
        if pick.random() < share:
            person[name] = ""


def _mistyped(text: str, pick: random.Random) -> str:
    if len(text) < 2:
        return text
    at = pick.randrange(len(text))
    match pick.choice(["drop", "add", "other", "turn", "turn", "seen", "heard", "double"]):
        case "drop":
            return text[:at] + text[at + 1 :]
        case "add":
            return text[:at] + pick.choice("0123456789" if text[at].isdigit() else _KEYS.replace(" ", "")) + text[at:]
        case "other":
            new = pick.choice("0123456789" if text[at].isdigit() else _near(text[at].lower(), pick))
            return text[:at] + new + text[at + 1 :]
        case "turn" if at:
            return text[: at - 1] + text[at] + text[at - 1] + text[at + 1 :]
        case "seen":
            return text[:at] + _SEEN.get(text[at].lower(), text[at]) + text[at + 1 :]
        case "heard":
            heard = [(old, new) for old, new in _HEARD if old in text.lower()]
            if heard:
                old, new = pick.choice(heard)
                place = text.lower().index(old)
                return text[:place] + new + text[place + len(old) :]
        case "double":
            return text[:at] + text[at] + text[at:]
    return text


def _near(letter: str, pick: random.Random) -> str:
    place = _KEYS.find(letter)
    return letter if place < 0 else pick.choice(_KEYS[max(0, place - 1) : place + 2].replace(" ", "") or letter)
