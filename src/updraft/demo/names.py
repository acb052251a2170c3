"""Names of the example world. Plants are real; people, places, gardens and codes are invented."""

VARIETIES = [
    "Brandywine", "Cherokee Purple", "Scarlet Runner", "Red Russian", "Chioggia", "Dragon Tongue", "Purple Podded",
    "Lemon Drop", "Black Krim", "Painted Mountain", "Bull's Blood", "Boston Pickling", "Green Zebra", "Moon and Stars",
    "Lacinato", "Musquée de Provence", "Paris Market", "Yellow Crookneck", "Crimson Giant", "Rouge Vif d'Etampes",
    "Blue Lake", "Golden Bantam", "Country Gentleman", "Five Colour Silverbeet",
]

# How people write a variety when they are in a hurry; the generator and the demo flow share this list.
SPELLINGS = {
    "Brandywine": ["brandy wine", "Brandywine.", "BRANDYWINE"],
    "Cherokee Purple": ["Cherokee purpel", "cherokee purple", "Cherokee Prple"],
    "Red Russian": ["RED RUSSIAN", "Red Russian kale"],
    "Dragon Tongue": ["Dragons Tongue", "Dragon's Tongue"],
    "Purple Podded": ["Purple-podded", "purple podded"],
    "Lacinato": ["Lacinatto"],
    "Musquée de Provence": ["Musquee de Provence"],
    "Chioggia": ["Chiogga"],
}

HUBS = ["Aldermere", "North Fen", "Coldwater", "Saltmarsh", "Highcombe"]
HUB_SPELLINGS = {"Aldermere": ["Aldermeer", "aldermere"], "North Fen": ["Northfen", "N. Fen"],
                 "Coldwater": ["Cold Water"], "Saltmarsh": ["Salt marsh"], "Highcombe": ["High Combe"]}

FIRST = ["Hollis", "Ottilie", "Tamsin", "Bram", "Ines", "Perrin", "Sunniva", "Rafe", "Maren", "Caspian", "Lowri",
         "Anselm", "Thea", "Jory", "Isolde", "Corin", "Wilhelmina", "Emrys", "Saskia", "Padraig"]
LAST = ["Vane", "Marsh", "Roe", "Ketter", "Falk", "Dow", "Alder", "Linden", "Quill", "Harrow", "Fennimore", "Strand",
        "Beck", "Thorne", "Winslade", "Orchard", "Pell", "Rook"]
GARDENS = ["Tannery Lane Garden", "Old Orchard Plot", "St Osyth's Yard", "Millrace Allotments", "Cooper's Field",
           "Larkspur Green", "The Walled Acre", "Quayside Beds", "Fallow Court", "Beehive Terrace", "Nettle Bank",
           "Seven Elms School", "Rook Hill Commons", "Paddock End", "Glasshouse Row"]
NOTES = ["", "", "", "", "", "", "call before delivery", "gift packing", "second order this month", "deliver to the side gate"]
