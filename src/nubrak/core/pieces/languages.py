"""What drums and their microphones are called in other languages, as the names of files say it.

Words of the trade in each language, common practice. Words that mean something else in another language of
the table, or in English, are left out.
"""

from __future__ import annotations

import re
import unicodedata

# Language (ISO 639-1), then piece, then words. "overheads" are the microphones above the kit.
PIECE_WORDS: dict[str, dict[str, str]] = {
    "de": {
        "kick": "fußtrommel,basstrommel,bass trommel,große trommel,grosse trommel,bassdrum",
        "snare": "kleine trommel,snaredrum,schnarrtrommel",
        "rack-tom": "hängetom,haengetom,hänge tom,haenge tom,hoher tom,hohes tom",
        "mid-tom": "mittleres tom,mittel tom",
        "floor-tom": "standtom,stand tom,bodentom,tiefes tom",
        "hi-hat": "hihats,hi hats",
        "crash": "crashbecken",
        "ride": "ridebecken",
        "overheads": "becken,overheadmikros",
        "room": "raum,raummikro,raummikros,raummikrofon,raummikrofone,saal",
        "clap": "klatschen,händeklatschen,haendeklatschen,klatscher",
        "tambourine": "schellenkranz,tamburin,schellen",
        "shaker": "rassel,rasseln",
        "cowbell": "kuhglocke",
        "woodblock": "holzblock",
    },
    "fr": {
        "kick": "grosse caisse,grossecaisse,gc",
        "snare": "caisse claire,caisseclaire,cc",
        "rack-tom": "tom aigu,tom alto,tom haut",
        "mid-tom": "tom médium,tom moyen",
        "floor-tom": "tom basse,tom grave,tom bas,tom sol",
        "hi-hat": "charley,charleston,charlé,charlet",
        "overheads": "cymbales",
        "crash": "cymbale",
        "room": "ambiance,salle,pièce",
        "clap": "claquement,claquements,clap mains",
        "tambourine": "tambourin",
        "cowbell": "cloche",
    },
    "es": {
        "kick": "bombo",
        "snare": "caja,redoblante,tarola",
        "rack-tom": "tom alto,tom aéreo,tom agudo",
        "mid-tom": "tom medio",
        "floor-tom": "tom base,tom de piso,tom piso,goliat,tom suelo,tom grave",
        "hi-hat": "charles,contratiempo",
        "overheads": "platillos,platos,aéreos",
        "crash": "platillo",
        "room": "sala,ambiente,habitación",
        "clap": "palmas,palmada",
        "tambourine": "pandereta",
        "cowbell": "cencerro",
    },
    "it": {
        "kick": "cassa,gran cassa,grancassa",
        "snare": "rullante,rull",
        "rack-tom": "tom alto,tom acuto",
        "mid-tom": "tom medio",
        "floor-tom": "timpano,tom grave,tom basso",
        "hi-hat": "charleston,charlie",
        "overheads": "piatti,panoramici",
        "crash": "piatto",
        "room": "stanza,ambiente,sala",
        "clap": "battito di mani,battimani",
        "tambourine": "tamburello",
        "cowbell": "campanaccio",
    },
    "pt": {
        "kick": "bumbo",
        "snare": "caixa,tarol",
        "rack-tom": "tom agudo",
        "mid-tom": "tom médio",
        "floor-tom": "surdo,tom de chão",
        "hi-hat": "chimbal,contratempo,prato de choque",
        "overheads": "pratos",
        "crash": "prato",
        "room": "sala,ambiência",
        "clap": "palmas",
        "tambourine": "pandeiro,pandeireta",
    },
    "nl": {
        "kick": "basdrum,grote trom",
        "snare": "kleine trom,snaartrom",
        "rack-tom": "hangtom",
        "floor-tom": "staande tom,vloertom,vloer tom",
        "overheads": "bekkens",
        "crash": "bekken",
        "room": "ruimte,zaal",
        "tambourine": "tamboerijn",
        "cowbell": "koebel",
    },
    "sv": {
        "kick": "bastrumma,baskagge",
        "snare": "virvel,virveltrumma",
        "rack-tom": "hängpuka",
        "floor-tom": "golvpuka,golv puka",
        "overheads": "cymbaler",
        "crash": "cymbal",
        "clap": "handklapp",
        "cowbell": "koskälla",
    },
    "no": {
        "kick": "stortromme,basstromme",
        "snare": "skarptromme,skarp",
        "rack-tom": "hengetom",
        "floor-tom": "gulvtam,gulvtom",
        "overheads": "cymbaler",
    },
    "da": {
        "kick": "stortromme",
        "snare": "lilletromme",
        "floor-tom": "gulvtam,gulvtom",
        "overheads": "bækkener",
        "crash": "bækken",
    },
    "fi": {
        "kick": "bassorumpu,basari",
        "snare": "virveli",
        "floor-tom": "lattiatomi,lattia tomi",
        "hi-hat": "haitsu,haikka",
        "overheads": "pellit",
        "crash": "pelti",
        "room": "huone",
    },
    "pl": {
        "kick": "stopa,centralka,bęben basowy",
        "snare": "werbel",
        "floor-tom": "tom podłogowy,kocioł",
        "overheads": "blachy,talerze",
        "crash": "blacha,talerz",
        "room": "pokój",
    },
    "cs": {
        "kick": "kopák,velký buben",
        "snare": "rytmičák,virbl,malý buben",
        "floor-tom": "kotel",
        "hi-hat": "hajtka",
        "overheads": "činely",
        "crash": "činel",
    },
    "hu": {
        "kick": "lábdob,nagydob",
        "snare": "pergő,pergődob,kisdob",
        "floor-tom": "állótam,álló tam",
        "hi-hat": "lábcin",
        "overheads": "cinek,cintányérok",
        "crash": "cintányér",
    },
    "tr": {
        "kick": "bas davul",
        "snare": "trampet",
        "floor-tom": "yer tomu",
        "overheads": "ziller",
        "crash": "zil",
    },
    "ru": {
        "kick": "бочка,бас барабан,большой барабан,кик",
        "snare": "малый,малый барабан,рабочий,снейр",
        "rack-tom": "альт,том альт,том",
        "mid-tom": "тенор,том тенор",
        "floor-tom": "флор,напольный том,том бас,флор том",
        "hi-hat": "хэт,хет,хай хэт,хайхэт,хай хет",
        "overheads": "тарелки,оверхеды,оверхэды,оверы",
        "crash": "тарелка,крэш,креш",
        "ride": "райд",
        "room": "комната,рум",
        "clap": "хлопки",
        "tambourine": "бубен",
        "shaker": "шейкер",
    },
    "ja": {
        "kick": "キック,バスドラム,バスドラ",
        "snare": "スネア,スネアドラム",
        "rack-tom": "タム,ハイタム",
        "mid-tom": "ミッドタム",
        "floor-tom": "フロアタム,フロアトム,ロータム",
        "hi-hat": "ハイハット",
        "overheads": "オーバーヘッド,トップ",
        "crash": "クラッシュ,シンバル",
        "ride": "ライド",
        "room": "ルーム,アンビエンス",
        "clap": "クラップ,手拍子",
        "tambourine": "タンバリン",
        "shaker": "シェイカー",
        "cowbell": "カウベル",
    },
}

# The sides of a pair: left, then right.
SIDE_WORDS: dict[str, tuple[str, str]] = {
    "en": ("l,left,lt", "r,right,rt"),
    "de": ("li,links", "re,rechts"),
    "fr": ("g,gauche", "d,droite,droit"),
    "es": ("izq,izquierda,izquierdo", "der,derecha,derecho,dcha"),
    "it": ("sx,sinistra,sin", "dx,destra"),
    "pt": ("esq,esquerda,esquerdo", "dir,direita,direito"),
    "nl": ("links", "rechts"),
    "sv": ("vänster", "höger"),
}

# Where a further microphone of one drum stands.
POSITION_WORDS: dict[str, str] = {
    "en": "in,inside,out,outside,top,bottom,btm,bot,over,under,upper,lower,sub,front,back,beater,"
    "resonant,reso",
    "de": "innen,außen,aussen,oben,unten,vorne,hinten",
    "fr": "dedans,dehors,intérieur,extérieur,dessus,dessous,haut,bas",
    "es": "dentro,fuera,arriba,abajo",
    "it": "interno,esterno,dentro,fuori,sopra,sotto",
    "pt": "dentro,fora,cima,baixo",
    "nl": "binnen,buiten,boven,onder",
    "sv": "inne,ute,ovan,under",
}


def folded(text: str) -> str:
    """A text without accents and capitals, so that words are found however they are written.

    >>> folded("Hängetom GROß")
    'hangetom gross'
    """
    apart = unicodedata.normalize("NFKD", text.replace("ø", "o").replace("Ø", "O").replace("æ", "ae"))
    return "".join(one for one in apart if unicodedata.category(one) != "Mn").casefold()


def spaced(name: str) -> str:
    """A name in small letters without accents, a space between its words, its numbers and at its ends.

    >>> spaced("SnareOben_2")
    ' snare oben 2 '
    """
    apart = re.sub(r"(?<=[^\W\d_A-Z])(?=[A-Z])", " ", unicodedata.normalize("NFC", name))
    words = re.findall(r"[^\W\d_]+|[0-9]+", folded(apart))
    return f" {' '.join(words)} "


def sought(word: str) -> str:
    """What of a word is looked for in a ``spaced`` name. Japanese is written without spaces: there a word may
    stand anywhere.
    """
    return spaced(word).strip() if any("\u3040" <= one <= "\u9fff" for one in word) else spaced(word)
