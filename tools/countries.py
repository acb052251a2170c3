"""Write what countries are called: in forty languages and in their own, as Unicode's CLDR has it (by Babel), what
ISO 3166 calls them in English where that is not plain, and their codes.
"""

import json
from pathlib import Path

from babel import Locale, UnknownLocaleError
from babel.core import get_global
from babel.languages import get_official_languages

PLACE = Path(__file__).parents[1] / "src/updraft/core/similarity/countries.json"
LANGUAGES = [
    "en",
    "de",
    "es",
    "fr",
    "it",
    "nl",
    "pl",
    "pt",
    "ro",
    "ru",
    "tr",
    "uk",
    "sv",
    "da",
    "nb",
    "fi",
    "is",
    "et",
    "lv",
    "lt",
    "cs",
    "sk",
    "hu",
    "hr",
    "sr",
    "sr_Latn",
    "sl",
    "bg",
    "mk",
    "sq",
    "el",
    "ga",
    "cy",
    "ca",
    "eu",
    "gl",
    "ar",
    "he",
    "fa",
    "hi",
    "bn",
    "ur",
    "zh",
    "zh_Hant",
    "ja",
    "ko",
    "vi",
    "id",
    "ms",
    "th",
    "sw",
    "af",
]
NONE = {
    "AC",
    "CP",
    "CQ",
    "DG",
    "EA",
    "EU",
    "EZ",
    "IC",
    "QO",
    "TA",
    "UN",
    "XA",
    "XB",
    "ZZ",
}  # no country's codes
MORE = {
    "AE": ["UAE", "Emirates"],
    "AR": ["Argentine Republic"],
    "AT": ["Oesterreich"],
    "AX": ["Aaland"],
    "BA": ["Bosnia", "Bosnia-Herzegovina"],
    "BN": ["Brunei Darussalam"],
    "BO": ["Bolivia, Plurinational State of"],
    "BQ": ["Bonaire, Sint Eustatius and Saba"],
    "BS": ["Bahamas, The"],
    "BY": ["Byelorussia", "Белоруссия"],
    "CC": ["Cocos Islands", "Keeling Islands"],
    "CD": ["Democratic Republic of the Congo", "DR Congo", "Dem. Rep. Congo", "DRC", "Congo, Dem. Rep.", "Zaire",
           "Congo-Kinshasa", "République démocratique du Congo", "Demokratische Republik Kongo",
           "República Democrática del Congo", "Congo (Kinshasa)", "Congo (DRC)", "Congo, DR"],
    "CG": ["Congo", "Republic of the Congo", "Congo-Brazzaville", "Congo, Rep.", "République du Congo",
           "Republik Kongo", "República del Congo", "Congo (Brazzaville)", "Congo, Republic of the"],
    "CH": ["Swiss Confederation", "Helvetia"],
    "CI": ["Ivory Coast", "Cote d'Ivoire"],
    "CN": ["PR China", "People's Republic of China", "PRC", "China, Mainland", "Mainland China",
           "China, People's Republic of"],
    "CV": ["Cabo Verde", "Cape Verde"],
    "CW": ["Curacao"],
    "CZ": ["Czech Republic", "Czechia"],
    "DO": ["Dominican Rep."],
    "DZ": ["People's Democratic Republic of Algeria"],
    "FK": ["Falkland Islands", "Malvinas", "Falkland Islands (Malvinas)", "Falkland Is."],
    "FM": ["Federated States of Micronesia", "Micronesia, Federated States of", "Micronesia, Fed. Sts."],
    "FO": ["Faeroe Islands"],
    "FR": ["French Republic", "République française"],
    "GA": ["Gabonese Republic"],
    "GB": ["UK", "Great Britain", "Britain", "United Kingdom of Great Britain and Northern Ireland",
           "Großbritannien"],
    "GF": ["Guiana"],
    "GM": ["Gambia, The"],
    "GR": ["Hellenic Republic", "Hellas"],
    "GS": ["South Georgia and the South Sandwich Is."],
    "GY": ["Guiana"],
    "HK": ["Hong Kong", "Hongkong", "Hong Kong SAR",
           "Hong Kong Special Administrative Region of China"],
    "HT": ["Hayti"],
    "IR": ["Iran, Islamic Republic of"],
    "IT": ["Italian Republic", "Repubblica italiana"],
    "JO": ["Hashemite Kingdom of Jordan"],
    "JP": ["Nippon", "Nihon"],
    "KG": ["Kyrgyz Republic"],
    "KN": ["St. Kitts and Nevis", "Saint Kitts & Nevis", "Saint Kitts and Nevis"],
    "KP": ["Korea", "North Korea", "N. Korea", "Korea, North", "DPRK", "Democratic People's Republic of Korea",
           "Korea, Democratic People's Republic of", "Korea, Dem. People's Rep.", "Korea, Dem. Rep."],
    "KR": ["Korea", "South Korea", "S. Korea", "Korea, South", "Republic of Korea", "Korea, Republic of", "Korea, Rep.",
           "Korea (Republic of)"],
    "LA": ["Lao People's Democratic Republic", "Lao PDR", "Lao"],
    "LB": ["Lebanese Republic"],
    "LC": ["Saint Lucia", "St Lucia"],
    "LY": ["Libyan Arab Jamahiriya"],
    "MD": ["Moldova, Republic of"],
    "MF": ["Saint Martin (French part)"],
    "MK": ["Macedonia", "North Macedonia", "FYROM", "Macedonia, the former Yugoslav Republic of",
           "The former Yugoslav Republic of Macedonia", "Macedonia, FYR"],
    "MM": ["Myanmar", "Burma", "Birmanie", "Birma"],
    "MO": ["Macao", "Macau", "Macao SAR", "Macau SAR",
           "Macao Special Administrative Region of China"],
    "MP": ["N. Mariana Islands"],
    "MX": ["United Mexican States"],
    "NL": ["Holland", "The Netherlands"],
    "PN": ["Pitcairn"],
    "PS": ["Palestine", "State of Palestine", "Palestinian Territory", "Palestine, State of", "West Bank and Gaza",
           "Palestinian Territory, Occupied", "Occupied Palestinian Territory"],
    "PT": ["Portuguese Republic", "República Portuguesa"],
    "RE": ["Reunion", "Réunion Island"],
    "RU": ["Russian Federation"],
    "RW": ["Rwandese Republic", "Rwanda"],
    "SH": ["Saint Helena", "Saint Helena, Ascension and Tristan da Cunha"],
    "SK": ["Slovak Republic"],
    "SX": ["Sint Maarten (Dutch part)"],
    "SY": ["Syrian Arab Republic"],
    "SZ": ["Swaziland", "Eswatini"],
    "TF": ["French Southern and Antarctic Lands"],
    "TG": ["Togolese Republic"],
    "TL": ["East Timor", "Timor-Leste"],
    "TN": ["Tunisian Republic"],
    "TR": ["Turkey", "Türkiye", "Turkiye"],
    "TW": ["Taiwan", "Taiwan, Province of China", "Republic of China", "Chinese Taipei", "Taiwan, R.O.C."],
    "TZ": ["Tanzania, United Republic of"],
    "US": ["USA", "U.S.A.", "United States of America", "America"],
    "VA": ["Holy See", "Vatican", "Holy See (Vatican City State)"],
    "VC": ["St. Vincent and the Grenadines"],
    "VE": ["Venezuela, Bolivarian Republic of"],
    "VG": ["British Virgin Islands", "Virgin Islands, British", "Virgin Islands (British)"],
    "VI": ["US Virgin Islands", "Virgin Islands, U.S.", "Virgin Islands (U.S.)", "United States Virgin Islands"],
    "VN": ["Viet Nam"],
    "XK": ["Kosovo, Republic of"],
}  # fmt: skip


def named(code: str) -> list[str]:
    """All names of a country, each once: its codes of three letters first, those of the first languages next."""
    languages = [*LANGUAGES, *get_official_languages(code, regional=True, de_facto=True)]
    aliases = get_global("territory_aliases").items()
    three = sorted(old for old, new in aliases if new == [code] and len(old) == 3 and old.isalpha())
    found = dict.fromkeys([*three, *MORE.get(code, [])])
    for language in dict.fromkeys(languages):
        try:
            name = Locale.parse(language).territories.get(code)
        except UnknownLocaleError:
            continue
        if name and name != code:
            found[name] = None
    return list(found)


def text() -> str:
    """A line for each country: its two letters, and all that it is called."""
    there = sorted(code for code in Locale("en").territories if len(code) == 2 and code.isalpha())
    lines = [
        f"  {json.dumps(code)}: {json.dumps(named(code), ensure_ascii=False)}"
        for code in there
        if code not in NONE
    ]
    return "{\n" + ",\n".join(lines) + "\n}\n"


if __name__ == "__main__":
    PLACE.write_text(text(), encoding="utf-8")
