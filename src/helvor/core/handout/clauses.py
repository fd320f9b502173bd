"""A sentence of a handout cut into the things that it tells one after the other to do."""

from __future__ import annotations

import re

BEGINS = (
    r"(?:(?:slowly|carefully|gently|quickly|immediately|finally|cautiously|again|allow|let"
    r"|leave|gradually|thoroughly|briefly|quantitatively|also|next|accurately|vacuum|gravity"
    r"|suction|re-?)\s*)*"
    r"(?:add|allow|let|leave|left|bring|boil|collect|combine|cool|cover|crush|crystalli[sz]e"
    r"|decant|develop|digest|dilute|discard|dispose|dissolve|divide|drain|draw"
    r"|dry|dries|dried|elute|evaporate|extract|filter|fill|grind|ground|heat|keep|kept|label"
    r"|load|mark|measure|mix|note|observe|pack|place|pool|pour|put|press|pull|reweigh|re-weigh"
    r"|record|recrystalli[sz]e|reflux|remove|repeat|rinse|run|scrape|scratch|separate|set"
    r"|shake|shaken|spot|stand|stir|stopper|store|sublime|suck|swirl|take|taken|test|transfer"
    r"|treat|trituate|triturate|vent|visuali[sz]e|warm|wash|weigh|wait|wet|acidif"
    r"|neutrali[sz]e|basif|adjust|quench|precipitate|concentrate|apply|determine|calculate"
    r"|photograph|examine|make|made|turn|look|work out|start|reheat|return|hang|cut|draw|rule"
    r"|tare|chill|redissolve|dismantle|save|submit|hand|clamp|insert|lower|spread|view"
    r"|redissolve|seal|secure|spray|dip|compare|drop|invert|tip)(?:(?:r|l|p|n|g)?ed|d|ied|y|s"
    r"|es)?"
)
_NO_VERB_HERE = (
    r"(?!dry\s+(?:\w+\s+)?(?:dish|beaker|flask|paper|crucible|vial|funnel|tube|boat|container"
    r"|watch|test)|(?:dried|filtered|measured|weighed|labell?ed|ground|cooled"
    r"|combined)\s+(?:\w+\s+)?(?:dish|beaker|flask|paper|crucible|vial|funnel|tube|boat"
    r"|container|sample|solution|extracts?|layers?)\b)"
)
_PASSIVE = (
    r"(?:fractions|crystals|solids|layers|extracts|tubes|the|a|an|this|it|its|each|both|these"
    r"|they|any)\b[^,;.]{0,60}?\b(?:was|were|is"
    r"|are)\s+(?:then\s+)?(?:\w+ly\s+)?(?:re)?\w+(?:ed|ught|nsed)\b"
)
_SPLIT = re.compile(
    (
        rf"\s*;\s*(?:then\s+)?|\s*[,–—]?\s+(?:and\s+)?then\s+(?=\w)|\s*,\s*(?:and\s+"
        rf"|followed by\s+)?(?={_NO_VERB_HERE}{BEGINS}\b)|\s*,?\s+and\s+(?={_PASSIVE})"
        rf"|\s*,\s+(?={_PASSIVE})|\s+and\s+(?={_NO_VERB_HERE}{BEGINS}\b(?!\s+(?:solution|mixture"
        rf"|product|solid|extracts?|sample|crystals)\b))"
    ),
    re.IGNORECASE,
)


def clauses_of(sentence: str) -> list[str]:
    """A sentence in the things that it tells one after the other to do.

    >>> clauses_of("Filter under vacuum, wash with cold water (2 × 5 mL) and dry at 60 °C.")
    ['Filter under vacuum', 'wash with cold water (2 × 5 mL)', 'dry at 60 °C.']
    """
    # What stands in brackets is not cut.
    held: list[str] = []

    def hold(match: re.Match[str]) -> str:
        held.append(match.group())
        return f"\x00{len(held) - 1}\x00"

    # *Salt, accurately weighed, in water* weighs nothing more: it says how.
    how = r",\s*((?:accurately |each )?weighed(?: accurately| exactly| by difference| to the nearest [\d.]+ m?g)?)\s*,"
    sentence = re.sub(how, r" (\1)", sentence, flags=re.IGNORECASE)
    safe = re.sub(r"\([^()]*\)", hold, sentence)
    safe = re.sub(
        (
            r"\b(wash|rinse|extract)(ed)?\b([^.;]*?)(?:,?\s+and\s+then|,\s*then|\s+followed by"
            r"|,?\s+and\s+finally)\s+(?:again\s+)?with\b"
        ),
        r"\1\2\3; \1\2 with",
        safe,
        flags=re.IGNORECASE,
    )
    pieces = [piece.strip(" ,") for piece in _SPLIT.split(safe) if piece and piece.strip(" ,.")]
    joined: list[str] = []
    for cut in pieces:
        # *Wash with water and then 5 mL of ethanol*: the verb holds for both.
        before = re.match(r"(?:wash|rinse|extract)(?:ed)?\b", joined[-1], re.IGNORECASE) if joined else None
        piece = cut
        if before is not None and re.match(r"\d+(?:\.\d+)?\s*mL\b", cut, re.IGNORECASE):
            piece = f"{before.group().lower()} with {cut}"
        # What begins with when or after goes with what follows it.
        if joined and re.match(
            r"(?:when|once|after|if|as soon as|before|while|on|upon|using|with|to)\b[^,]*$", joined[-1], re.IGNORECASE
        ):
            joined[-1] = f"{joined[-1]}, {piece}"
        else:
            joined.append(piece)
    return [re.sub("\x00(\\d+)\x00", lambda m: held[int(m[1])], piece) for piece in joined]
