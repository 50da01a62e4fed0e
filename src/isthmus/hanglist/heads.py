"""What the head of a column says it is, in the languages of the trade and with the abbreviations
people write.

A field is what a column is read as. Those of `ASIDE` are columns a list often has that are never
read: a weight or a wattage fits an address by chance, its heading says what it is.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from functools import lru_cache

from rapidfuzz import fuzz

READ = ("number", "place", "type", "mode", "feet", "address", "universe", "count")
TOLD = ("position", "purpose", "gel", "name")
ASIDE = ("weight", "power", "length", "line", "circuit", "note", "accessory", "page", "id")
FIELDS = (*READ, *TOLD, *ASIDE)

# field → language → heads; a figure after a slash is how sure it is, in tenths
_WORDS: dict[str, dict[str, str]] = {
    "number": {
        "en": "unit, unit no, unit number, number, no, nr, num, channel, chan, ch, channel no,"
        " fixture no, fixture number, fixture id, fix no, fix id, fixture/7, fix/7, id/6,"
        " control channel, chn, lamp no",
        "de": "nr, nummer, geratenr, gerate nr, geratenummer, kanal, kreis, stellwerk kreis,"
        " kreisnummer, kanalnr, kanal nr, lampennr, id/6, lfd nr/6, fixture nr",
        "fr": "no, numero, projecteur no, appareil no, circuit/8, canal/9, num, no projecteur,"
        " circuit no",
        "es": "no, numero, unidad, foco no, canal/9, circuito/8, num, no aparato, no foco",
        "it": "n, numero, n proiettore, unita, canale/9, circuito/8, no, num, n apparecchio",
        "nl": "nr, nummer, armatuur nr, lampnr, kanaal, kring, armatuurnummer, lamp nr",
    },
    "place": {
        "en": "u no, unit/5, pos no, position no, hang no, u/3, pos unit, unit on position",
        "de": "pos nr, platz, hangenummer, platz nr, positionsnr",
        "fr": "rang, no pos, ordre, no position, place",
        "es": "orden, no pos, puesto",
        "it": "ordine, n pos, posto",
        "nl": "plaats, positienr, plek nr",
    },
    "type": {
        "en": "type, model, profile, fixture type, instrument, instrument type, luminaire,"
        " fixture/8, device, unit type, equipment, lantern, lamp type, make and model, head type,"
        " type and accessories, fixture model, light",
        "de": "gerat, geratetyp, typ, scheinwerfer, lampe/8, modell, lampentyp, leuchte,"
        " geratename, geratebezeichnung",
        "fr": "appareil, type, projecteur, modele, materiel, type de projecteur, source",
        "es": "aparato, tipo, foco, modelo, proyector, equipo, luminaria",
        "it": "apparecchio, tipo, proiettore, modello, faro, tipologia",
        "nl": "armatuur, type, lamp/8, toestel, spot, armatuurtype, model",
    },
    "mode": {
        "en": "mode, dmx mode, personality, fixture mode, operating mode, channel mode",
        "de": "modus, mode, dmx modus, betriebsart, dmx mode",
        "fr": "mode, mode dmx",
        "es": "modo, modo dmx",
        "it": "modalita, modo, modo dmx, modalita dmx",
        "nl": "modus, mode, stand, dmx mode, dmx modus",
    },
    "feet": {
        "en": "footprint, channels, dmx ch, dmx channels, ch count, no ch, num channels, chs,"
        " number of channels, slots, dmx footprint, no of channels, channel count",
        "de": "kanale, dmx kanale, anz kanale, anzahl kanale, kanalanzahl, kanalzahl, kanalbedarf",
        "fr": "canaux, nb canaux, nombre de canaux, nb de canaux, canaux dmx",
        "es": "canales, no canales, canales dmx, num canales, no de canales",
        "it": "canali, n canali, canali dmx, numero canali",
        "nl": "kanalen, aantal kanalen, dmx kanalen",
    },
    "address": {
        "en": "address, dmx, dmx address, addr, start address, patch, dmx start, start, dmx addr,"
        " starting address, dmx patch, add, dmx start address, start addr, dmx no, a/4, channel"
        " start, start channel, start ch, first channel, universe address, univ addr, u a,"
        " dmx a, base address",
        "de": "adresse, dmx adresse, dmx, startadresse, adr, dmx adr, dmx startadresse,"
        " startkanal, dmx start, patch, dmx patch, anfangsadresse, dmx kanal",
        "fr": "adresse, adresse dmx, dmx, adr, patch, adresse de depart, depart, dmx depart",
        "es": "direccion, direccion dmx, dmx, dir, dir dmx, inicio, direccion inicial, patch",
        "it": "indirizzo, indirizzo dmx, dmx, ind, ind dmx, partenza, patch, indirizzo iniziale",
        "nl": "adres, dmx adres, dmx, startadres, dmx startadres, adr, patch",
    },
    "universe": {
        "en": "universe, univ, u/7, uni, dmx universe, dmx univ, unv, universe no, dmx uni, line/4,"
        " dmx line, port/4, dmx u",
        "de": "universum, univ, dmx linie, linie/8, dmx universum, uni, dmx univ, universe, strang",
        "fr": "univers, univ, univers dmx, ligne dmx, uni",
        "es": "universo, univ, universo dmx, uni, linea dmx",
        "it": "universo, univ, universo dmx, uni, linea dmx",
        "nl": "universum, univ, lijn/8, dmx lijn, dmx universe, uni, universe",
    },
    "count": {
        "en": "qty, quantity, count, pcs, amount, how many, number of units, no off, off",
        "de": "anzahl, stk, stuck, menge, stuckzahl, anz",
        "fr": "qte, quantite, nombre, nb, qt",
        "es": "cantidad, cant, uds, unidades, ctd",
        "it": "quantita, q ta, pz, qta, pezzi",
        "nl": "aantal, stuks, st, hoeveelheid",
    },
    "position": {
        "en": "position, hang position, hangs on, hang, location, structure, truss,"
        " hanging position,"
        " hanging, pos, place/8, mounting position, pipe, rigging position, hung on, where,"
        " electric",
        "de": "hangeort, position, traverse, ort, hangeposition, zug, hangepunkt, aufhangung,"
        " pos/5,"
        " standort, hangt an, montageort",
        "fr": "accroche, position, perche, emplacement, porteuse, lieu, point d accroche, pont",
        "es": "posicion, vara, ubicacion, lugar, colgado en, estructura, barra",
        "it": "posizione, americana, appendimento, luogo, struttura, collocazione, ubicazione",
        "nl": "positie, truss, ophangpunt, trek, plek, locatie, ophanging, plaats/5",
    },
    "purpose": {
        "en": "purpose, use, focus, system, function, used for, focus area, area, wash",
        "de": "zweck, verwendung, funktion, fokus, einsatz, nutzung, einleuchtung",
        "fr": "fonction, usage, effet, utilisation, reglage, destination",
        "es": "funcion, uso, proposito, utilizacion, enfoque",
        "it": "funzione, uso, puntamento, utilizzo, impiego",
        "nl": "doel, functie, gebruik, richting, inzet",
    },
    "gel": {
        "en": "gel, colour, color, filter, gels, colour filter, color filter, gel color, col, clr,"
        " colour media",
        "de": "farbe, filter, farbfilter, folie, farbfolie, farben",
        "fr": "gelatine, couleur, filtre, gela, gel, coul",
        "es": "filtro, color, gelatina, gel",
        "it": "gelatina, colore, filtro, gel",
        "nl": "kleur, filter, gel, kleurfilter, folie",
    },
    "name": {
        "en": "name, label, unit name, fixture name, title, description/7",
        "de": "name, bezeichnung/8, benennung, geratename/5",
        "fr": "nom, libelle, etiquette, designation/7",
        "es": "nombre, etiqueta, denominacion",
        "it": "nome, etichetta, denominazione",
        "nl": "naam, omschrijving/8, label, benaming",
    },
    "weight": {
        "en": "weight, kg, wt, weight kg, mass, lbs, weight lbs, load",
        "de": "gewicht, gewicht kg, kg, masse, last",
        "fr": "poids, poids kg, masse, kg, charge",
        "es": "peso, peso kg, kg, carga",
        "it": "peso, peso kg, kg, carico",
        "nl": "gewicht, gewicht kg, kg, massa",
    },
    "power": {
        "en": "wattage, watts, power, w, watt, power w, load w, amps, current, va, phase",
        "de": "leistung, watt, leistung w, w, strom, stromaufnahme, phase",
        "fr": "puissance, puissance w, w, watts, intensite, phase",
        "es": "potencia, vatios, w, potencia w, corriente, fase",
        "it": "potenza, watt, w, potenza w, corrente, fase",
        "nl": "vermogen, watt, w, vermogen w, stroom, fase",
    },
    "length": {
        "en": "cable, cable m, length, height, height m, length m, trim, trim height, x, y, z,"
        " distance, offset, m, pan, tilt, rotation, cable length, elevation",
        "de": "kabellange, hohe, hohe m, lange, lange m, kabel, abstand, trimm",
        "fr": "longueur, hauteur, hauteur m, longueur m, cable, distance",
        "es": "altura, longitud, altura m, cable, distancia, largo",
        "it": "altezza, lunghezza, altezza m, cavo, distanza",
        "nl": "hoogte, lengte, hoogte m, kabel, afstand, kabellengte",
    },
    "line": {
        "en": "row, item, line, row no, item no, index, seq, s no, sheet row, record",
        "de": "zeile, pos/6, lfd, zeilennr, lfd nr/7, position nr/4",
        "fr": "ligne, rangee, index, no ligne",
        "es": "fila, linea/5, indice, no fila",
        "it": "riga, indice, n riga",
        "nl": "regel, rij, index, volgnr",
    },
    "circuit": {
        "en": "circuit, dimmer, circ, dim, circuit no, dimmer no, ckt, cct, socapex, soca, breaker,"
        " distro, power circuit, outlet",
        "de": "stromkreis, dimmer, stromkreis nr, steckdose, harting, dimmerkreis",
        "fr": "gradateur, ligne elec, ligne/6, ligne electrique, prise, grada",
        "es": "dimmer, linea/6, linea electrica, toma",
        "it": "dimmer, linea/6, linea elettrica, presa",
        "nl": "dimmer, groep, stroomgroep, stopcontact",
    },
    "note": {
        "en": "notes, note, remarks, comments, remark, comment, info, status",
        "de": "bemerkung, bemerkungen, anmerkungen, anmerkung, notiz, notizen, hinweis, kommentar",
        "fr": "remarques, remarque, notes, observations, commentaires, divers",
        "es": "notas, nota, observaciones, comentarios",
        "it": "note, osservazioni, commenti",
        "nl": "opmerkingen, opmerking, notitie, notities",
    },
    "accessory": {
        "en": "accessories, accessory, acc, access, gobo, template, pattern, lens, frame, barndoor",
        "de": "zubehor, gobo, linse, tubus",
        "fr": "accessoires, accessoire, gobo, lentille",
        "es": "accesorios, gobo, lente",
        "it": "accessori, gobo, lente",
        "nl": "toebehoren, accessoires, gobo, lens",
    },
    "page": {
        "en": "page, sheet, drawing, dwg, rev, revision, date",
        "de": "seite, blatt, zeichnung, datum, stand/4",
        "fr": "page, feuille, plan, date",
        "es": "pagina, hoja, plano, fecha",
        "it": "pagina, foglio, disegno, data",
        "nl": "pagina, blad, tekening, datum",
    },
    "id": {
        "en": "serial, serial no, asset, asset no, barcode, uid, rdm uid, ip, ip address, mac,"
        " uuid,"
        " guid, inventory no, stock no, article, sku, hardware id, part no",
        "de": "seriennummer, inventarnr, inventarnummer, ip adresse, artikel, artikelnr, barcode",
        "fr": "no de serie, serie, reference, code barre, adresse ip",
        "es": "no de serie, serie, referencia, inventario, direccion ip",
        "it": "n di serie, seriale, codice, inventario, indirizzo ip",
        "nl": "serienummer, artikel, barcode, inventarisnr, ip adres",
    },
}

LANGUAGES = ("en", "de", "fr", "es", "it", "nl")
FUZZY = 88.0
SHORTEST = 5  # letters of a head that may be a part of a word, or have a letter wrong


def plain_head(text: str) -> str:
    """Lower case letters and figures alone: `Géräte-Nr.` → `gerate nr`, `N°` and `#` → `no`."""
    text = re.sub(r"(?i)\bn\s*[°º]|№|#", " no ", text)
    text = unicodedata.normalize("NFKD", text.replace("ß", "ss"))
    text = "".join(letter for letter in text if not unicodedata.combining(letter))
    return " ".join(re.findall(r"[a-z0-9]+", text.lower()))


def _table() -> dict[str, dict[str, dict[str, float]]]:
    """heads → language → field → how sure."""
    made: dict[str, dict[str, dict[str, float]]] = {}
    for name, tongues in _WORDS.items():
        for language, words in tongues.items():
            for entry in words.split(","):
                word, _, tenths = entry.strip().partition("/")
                sure = int(tenths) / 10 if tenths else 1.0
                made.setdefault(word, {}).setdefault(language, {})[name] = sure
    return made


_HEADS = _table()


@lru_cache(4096)
def _meant(text: str) -> tuple[tuple[str, str, float], ...]:
    """(language, field, how sure) of a head in plain letters: the whole, a part of it, or with a
    letter wrong.
    """
    if text in _HEADS:
        return _spread(text, 1.0)
    words = text.split()
    found: dict[tuple[str, str], float] = {}
    for word, by in (*_parts(words), *(_alike(text) if len(text) >= SHORTEST else ())):
        for language, name, sure in _spread(word, by):
            found[language, name] = max(found.get((language, name), 0.0), sure)
    return tuple((language, name, sure) for (language, name), sure in found.items())


def _parts(words: Sequence[str]) -> list[tuple[str, float]]:
    """Heads that are a part of another one, and how sure the more they are of it."""
    return [
        (part, 0.55 + 0.35 * size / len(words))
        for size in range(min(3, len(words)), 0, -1)
        for at in range(len(words) - size + 1)
        if (part := " ".join(words[at : at + size])) in _HEADS and len(part) > 1
    ]


def _alike(text: str) -> list[tuple[str, float]]:
    """Heads a text begins or ends with, as compounds do, or that are a letter away."""
    if any(word in _HEADS for word in text.split()):
        return []
    return [
        (word, 0.6 if text.endswith(word) or text.startswith(word) else 0.75)
        for word in _HEADS
        if len(word) >= SHORTEST
        and (text.endswith(word) or text.startswith(word) or fuzz.ratio(text, word) >= FUZZY)
    ]


def _spread(word: str, by: float) -> tuple[tuple[str, str, float], ...]:
    return tuple(
        (language, name, sure * by)
        for language, fields in _HEADS[word].items()
        for name, sure in fields.items()
    )


def language_of(heads: tuple[str, ...]) -> str:
    """The language most heads are in."""
    votes: dict[str, float] = dict.fromkeys(LANGUAGES, 0.0)
    for head in heads:
        for language in {language for language, _, _ in _meant(plain_head(head))}:
            votes[language] += 1.0
    return max(LANGUAGES, key=lambda language: votes[language])


def head_scores(head: str, language: str) -> dict[str, float]:
    """How sure a head is each field, 0…1: less in a language the other heads are not in."""
    found: dict[str, float] = {}
    for tongue, name, sure in _meant(plain_head(head)):
        weight = 1.0 if tongue == language else 0.85 if tongue == "en" else 0.7
        found[name] = max(found.get(name, 0.0), sure * weight)
    return found
