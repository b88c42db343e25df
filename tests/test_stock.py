"""The shelf and the shop's own cards: kept, given out and brought in again, wrong ones refused by place."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bibulon.job.cards import FabricCard
from bibulon.job.edits import revised
from bibulon.planning.process import CostsError, costs_file, shop_costs
from bibulon.stock import (
    StockError,
    as_toml,
    own_cards,
    read_cards,
    save_own,
    shelf,
    shelf_card,
    shipped,
    shop_cards_file,
)
from bibulon.stock.card_sheet import as_csv, from_csv
from bibulon.stock.leaks import leaks_file, shop_leaks
from bibulon.stock.offcuts import offcuts_file, shop_offcuts


def test_the_shelf_is_wide_and_every_value_has_a_source_and_a_spread() -> None:
    cards = shipped()
    assert len(cards) >= 60 and len({card.id for card in cards}) == len(cards)
    assert {card.kind for card in cards} == {
        "fabric", "core", "surface coat", "media", "peel ply", "film", "tape", "tube", "fitting", "resin", "adhesive",
        "seal", "channel", "sleeve", "catch pot", "mould clamp", "upper half",
    }  # fmt: skip
    assert all(card.price is not None for card in cards)
    for card in cards:
        if isinstance(card, FabricCard):
            for value in (card.permeability_along_m2, card.permeability_across_m2, card.permeability_through_m2):
                assert value.spread > 1.2 and value.source == "class default"
            assert card.permeability_through_m2.value < card.permeability_across_m2.value
            assert 1e-11 <= card.permeability_along_m2.value <= 1e-8


def test_a_fabric_card_of_old_says_by_its_name_where_its_fibre_runs() -> None:
    for card in shipped():
        if isinstance(card, FabricCard):
            old = card.model_dump(exclude={"fibre_directions", "drape", "frays", "bulk", "tow_tex"})
            again = FabricCard.model_validate(old)
            assert {one.angle_deg for one in again.fibre_directions} == {one.angle_deg for one in card.fibre_directions}
    with pytest.raises(ValueError, match="come to 60 %"):
        FabricCard.model_validate({**old, "fibre_directions": [{"angle_deg": 0, "share": 0.6}]})


def test_cards_come_back_from_both_kinds_of_file_as_they_were() -> None:
    assert read_cards(as_toml(shipped()), "x") == shipped()
    assert from_csv(as_csv(shipped()), "x") == shipped()


@given(weight=st.floats(0.01, 5), spread=st.floats(1, 10), note=st.text(max_size=40), roll=st.floats(0.1, 4))
def test_any_card_survives_a_sheet(weight: float, spread: float, note: str, roll: float) -> None:
    card = shelf_card("glass-biax-800")
    assert isinstance(card, FabricCard)
    made = revised(card, areal_weight_kg_m2=weight, roll_width_m=roll, note=note.strip().replace("\x00", ""))
    made = revised(made, permeability_along_m2=revised(card.permeability_along_m2, spread=spread))
    (again,) = read_cards(as_toml([made]), "x")
    assert again == made
    if made.note and made.note[0] not in "[{" and "\r" not in made.note and made.note not in ("true", "false"):
        assert from_csv(as_csv([made]), "x") == (made,)


def test_own_cards_stand_in_for_shipped_ones_and_survive() -> None:
    own = revised(shelf_card("glass-biax-800"), name="Our biax", roll_width_m=1.0)
    save_own([own])
    assert own_cards() == (own,) and shelf_card("glass-biax-800") == own and len(shelf()) == len(shipped())
    shop_cards_file().write_text("[[card]]\nkind = 'fabric'\nid = 'x'\n", encoding="utf-8")
    with pytest.raises(StockError, match=r"cards\.toml, x"):
        own_cards()


@pytest.mark.parametrize("key", ["card", "leak", "offcut", "process"])
@pytest.mark.parametrize(
    "text",
    [
        "KEY = 5",
        "KEY = ['x']",
        "[KEY]\nid = 'x'",
        "[[KEY]]\nid = 7",
        "KEY = " + "[" * 9000,
        "[[KEY]]\nid = " + "9" * 5000,
    ],
)
def test_an_own_file_of_another_shape_is_refused_by_name(key: str, text: str) -> None:
    files = {
        "card": (shop_cards_file(), own_cards),
        "leak": (leaks_file(), shop_leaks),
        "offcut": (offcuts_file(), shop_offcuts),
        "process": (costs_file(), shop_costs),
    }
    path, read = files[key]
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text.replace("KEY", key), encoding="utf-8")
    with pytest.raises((StockError, CostsError), match=path.name):
        read()


def test_wrong_sheets_are_refused_by_line_and_column() -> None:
    sheet = as_csv([shelf_card("glass-biax-800")])
    with pytest.raises(StockError, match="line 2, fibre_fraction"):
        from_csv(sheet.replace("0.53", "5.3"), "ours.csv")
    with pytest.raises(StockError, match="line 2"):
        from_csv("kind,id\nrope,x\n", "ours.csv")
    with pytest.raises(StockError, match="no cards"):
        from_csv("", "ours.csv")


@pytest.mark.parametrize("end", ["\r\n", "\n", "\r"])
def test_a_sheet_is_read_however_its_lines_end(end: str) -> None:
    cards = shelf()[:5]
    text = as_csv(cards).replace("\r\n", "\n").replace("\n", end)
    assert from_csv(text, "cards.csv") == tuple(cards)


@pytest.mark.parametrize(
    ("text", "said"),
    [("kind,id,id.more\nhose,a,b\n", "cannot both be columns"), ('kind,id\n"' + "x" * 200_000 + '",a\n', "line 2")],
)
def test_a_sheet_that_contradicts_itself_is_refused_by_line(text: str, said: str) -> None:
    with pytest.raises(StockError, match=said):
        from_csv(text, "cards.csv")
