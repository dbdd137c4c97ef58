"""A pack's label in one line: spellings that are read right, senseless ones, and anything at all."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.label import LONGEST_LINE, MOST_TROUBLES, read_label
from zesty_cell.core.parts.label_pack import pack_of_label, plug_for, usual_leads
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

USUAL = Pack(name="usual", chemistry="lipo", series=6, capacity_ah=1.3)
#: Each line, and the pack it means: cells, chemistry, mAh, then C or A as long as it lasts, then grams.
READ = """
6S 1300 120C LiPo 214g             | 6S lipo 1300 120C 214g
6s 1300 120c 214g                  | 6S lipo 1300 120C 214g
214g 120c 1300 6s                  | 6S lipo 1300 120C 214g
6s1300120c214g                     | ?
6s1300mah120c214g                  | 6S lipo 1300 120C 214g
6S1300MAH                          | 6S lipo 1300
6 S 1300 mAh                       | 6S lipo 1300
6-S 1300 mAh                       | 6S lipo 1300
6S-1300mAh-120C                    | 6S lipo 1300 120C
6S / 1300mAh / 120C                | 6S lipo 1300 120C
6s;1300;120c                       | 6S lipo 1300 120C
6S_1300mAh_120C                    | 6S lipo 1300 120C
(6S) 1300 mAh [120C]               | 6S lipo 1300 120C
1300mAh 6S1P 120C                  | 6S lipo 1300 120C
6s1p 1300                          | 6S lipo 1300
6S 1P 1300mah                      | 6S lipo 1300
6S1P/1300mAh                       | 6S lipo 1300
1p6s 1300                          | 6S lipo 1300
6 cells 1300                       | 6S lipo 1300
6 cell 1300mah                     | 6S lipo 1300
6-cell 1300                        | 6S lipo 1300
6cells 1300                        | 6S lipo 1300
6 in series, 1300 mAh              | 6S lipo 1300
1.3Ah 6s                           | 6S lipo 1300
1,3Ah 6s                           | 6S lipo 1300
1.3 Ah 6S                          | 6S lipo 1300
1,300 mAh 6S                       | 6S lipo 1300
1.300mAh 6S                        | 6S lipo 1300
1 300 mAh 6S                       | 6S lipo 1300
6S 1 300mAh                        | 6S lipo 1300
1300ma 6s                          | 6S lipo 1300
.85ah 2s                           | 2S lipo 850
,85Ah 2S                           | 2S lipo 850
7.4V 850                           | 2S lipo 850
7,4V 850                           | 2S lipo 850
7.4v850mah                         | 2S lipo 850
850 7.4 V                          | 2S lipo 850
7.4 volts 850 mAh                  | 2S lipo 850
3.7V 450mAh                        | 1S lipo 450
11.1V 2200                         | 3S lipo 2200
11.1V 2200mAh 30C                  | 3S lipo 2200 30C
14.8V 1500                         | 4S lipo 1500
18.5V 1100                         | 5S lipo 1100
22.2V 5000mAh 75c                  | 6S lipo 5000 75C
22,2V 5Ah 75C                      | 6S lipo 5000 75C
29.6V 4000                         | 8S lipo 4000
44.4V 5000 65C                     | 12S lipo 5000 65C
25.2V 1300                         | 6S lipo 1300
16.8V 1500                         | 4S lipo 1500
12.6V 2200mAh                      | 3S lipo 2200
8.4V 850                           | 2S lipo 850
4.2V 300mAh                        | 1S lipo 300
3.8V 450mAh                        | 1S lihv 450
3.85V 450mAh                       | 1S lihv 450
7.6V 450                           | 2S lihv 450
11.4V 850                          | 3S lihv 850
11.55V 850                         | 3S lihv 850
15.2V 650                          | 4S lihv 650
15.2V 4s 650                       | 4S lihv 650
22.8V 1300 6s                      | 6S lihv 1300
4.35V 300                          | 1S lihv 300
8.7V 450                           | 2S lihv 450
4S 4.35V 650                       | 4S lihv 650
4S HV 650                          | 4S lihv 650
4s lihv 650mah 80c                 | 4S lihv 650 80C
LiHV 1S 300mAh                     | 1S lihv 300
Li-HV 1S 300mAh                    | 1S lihv 300
LiPo HV 4S 650                     | 4S lihv 650
LiPo-HV 4S 650                     | 4S lihv 650
high voltage 4s 650                | 4S lihv 650
1s 450 hv lipo                     | 1S lihv 450
lithium polymer 3s 2200            | 3S lipo 2200
Li-Po 3S 2200                      | 3S lipo 2200
Li Po 3S 2200                      | 3S lipo 2200
lithium-ion 4s2p 8Ah               | 4S2P liion_energy 8000
4S2P li-ion 8Ah                    | 4S2P liion_energy 8000
4s2p liion 8000                    | 4S2P liion_energy 8000
Li Ion 4S2P 8000mAh                | 4S2P liion_energy 8000
4s2p Lion 8Ah                      | 4S2P liion_energy 8000
2p4s li-ion 8ah                    | 4S2P liion_energy 8000
2s1p 18650 3000mAh 30A             | 2S liion_power 3000 30A
2S1P 18650 3000mAh 30 A            | 2S liion_power 3000 30A
18650 2s 3000                      | 2S liion_power 3000
18650 2s 3500                      | 2S liion_energy 3500
18650 2s 3500 10A                  | 2S liion_energy 3500 10A
4x18650 3500                       | 4S liion_energy 3500
4 x 18650 3500mAh                  | 4S liion_energy 3500
6S1P 21700 4200mAh 45A             | 6S liion_power 4200 45A
6s 21700 5000                      | 6S liion_energy 5000
6s2p 21700 5000mAh                 | 6S2P liion_energy 10000
6S2P 21700 4200 45A                | 6S2P liion_power 8400 90A
6s2p 21700 10Ah                    | 6S2P liion_energy 10000
3s 18350 1100 li-ion               | 3S liion_power 1100
4s 26650 lfp 3300                  | 4S lifepo4 3300
6.6V 2100                          | 2S lifepo4 2100
6.4V 2100                          | 2S lifepo4 2100
9.9V 2100mAh                       | 3S lifepo4 2100
LiFePO4 2S 2100                    | 2S lifepo4 2100
LiFe 2s 1800                       | 2S lifepo4 1800
lifepo 2s 1800                     | 2S lifepo4 1800
LFP 4S 2500mAh                     | 4S lifepo4 2500
iron phosphate 2s 1800             | 2S lifepo4 1800
NiMH 4.8V 2000                     | 4S nimh 2000
Ni-MH 6V 2000mAh                   | 5S nimh 2000
6 cell NiMH 3000                   | 6S nimh 3000
7.2V NiMH 3000mAh                  | 6S nimh 3000
7.2V li-ion 3000                   | 2S liion_energy 3000
14.4V li-ion 7Ah                   | 4S liion_energy 7000
21.6V 4000mAh li-ion               | 6S liion_energy 4000
28.9Wh 6s                          | 6S lipo 1300
6s 28.86 Wh 1300mAh                | 6S lipo 1300
111Wh 22.2V                        | 6S lipo 5000
33.3 wh 11.1 v                     | 3S lipo 3000
80C/160C 1s 450mAh hv              | 1S lihv 450 80C
80/160C 1s 450                     | 1S lipo 450 80C
80-160C 1s 450                     | 1S lipo 450 80C
75C burst 150C 4s 1300             | 4S lipo 1300 75C
75C (150C burst) 4s 1300           | 4S lipo 1300 75C
4s 1500 95C cont. 190C max         | 4S lipo 1500 95C
4s 1500 7.5oz                      | 4S lipo 1500 213g
4s 1500 7,5 oz                     | 4S lipo 1500 213g
4s 5000 1lb                        | 4S lipo 5000 454g
6s 5000 0.72kg                     | 6S lipo 5000 720g
6s 5000 720 grams                  | 6S lipo 5000 720g
weight 214 g 6s 1300               | 6S lipo 1300 214g
4s 5000 60A plug                   | 4S lipo 5000
4s 5000 plug 90 A                  | 4S lipo 5000
6s 1300 3.5mΩ                      | 6S lipo 1300
6s 1300 3.5 mohm                   | 6S lipo 1300
Gnarly 6S 1300mAh 120C             | 6S lipo 1300 120C
Zippy Zest 4s 1500mAh battery pack | 4S lipo 1500
850 2s                             | 2S lipo 850
450 1s                             | 1S lipo 450
6S                                 | 6S lipo 1300
1300                               | 6S lipo 1300
  6s   1300                        | 6S lipo 1300
6Ｓ１３００ｍＡｈ                  | 6S lipo 1300
"""
LINES = [tuple(part.strip() for part in line.split("|")) for line in READ.strip().splitlines()]
LINES = [(line, wanted) for line, wanted in LINES if wanted != "?"]


def _as_written(pack):
    cells = f"{pack.series}S{pack.parallel}P" if pack.parallel > 1 else f"{pack.series}S"
    parts = [cells, pack.chemistry, f"{1000 * pack.capacity_ah:.0f}"]
    if pack.label_c is not None:
        parts.append(f"{pack.label_c:g}C")
    elif pack.ratings is not None:
        parts.append(f"{pack.ratings.continuous_a:g}A")
    if pack.mass_kg is not None:
        parts.append(f"{1000 * pack.mass_kg:.0f}g")
    return " ".join(parts)


@pytest.mark.parametrize(("line", "wanted"), LINES, ids=[line for line, _ in LINES])
def test_a_label_is_read(line, wanted):
    read = pack_of_label(read_label(line), usual=USUAL)
    assert _as_written(read.pack) == wanted
    assert not read.troubles


def test_there_are_as_many_spellings_as_pilots_have():
    assert len({line for line, _ in LINES}) >= 120


#: Senseless lines, and why each is.
SENSELESS = {
    "0S 1300": "label.outside.series",
    "30S 1300": "label.outside.series",
    "99s": "label.outside.series",
    "6s0p 1300": "label.outside.parallel",
    "4s30p 8Ah": "label.outside.parallel",
    "6s 5mAh": "label.outside.capacity_ah",
    "6s 900Ah": "label.outside.capacity_ah",
    "6s 999999mAh": "label.outside.capacity_ah",
    "6s 1300 900C": "label.outside.label_c",
    "6s 1300 0C": "label.outside.label_c",
    "6s 1300 100/900C": "label.outside.burst_c",
    "6s 1300 9000A": "label.outside.rating_a",
    "6s 1300 90kg": "label.outside.mass_kg",
    "6s 1300 0g": "label.outside.mass_kg",
    "500V 1300": "label.outside.pack_v",
    "0.3V 1300": "label.outside.pack_v",
    "6s 0Wh": "label.outside.energy_wh",
    "6s 1300 9000mΩ": "label.outside.cell_resistance_ohm",
    "6s 1300 900A plug": "label.outside.plug_a",
    "6s 4s 1300": "label.twice",
    "6s 1300mAh 1500mAh": "label.twice",
    "lipo li-ion 4s 1300": "label.twice",
    "6s 1300 120": "label.number",
    "6s 1300 14": "label.number",
    "4 1300": "label.which_cells",
    "6": "label.which_cells",
    "6s 1300 §": "label.sign",
    "6s 1300 🍋": "label.sign",
    "6s 1300 qz60": "label.word",
    "lipo 18650 2s": "label.round_pouch",
    "lihv 21700 4s": "label.round_pouch",
    "4s 11.1V 1300": "label.volts_and_cells",
    "6s 7.4V": "label.volts_and_cells",
    "10V 1300": "label.volts_unknown",
    "2s 18650 9000mAh": "label.too_much_for_cell",
    "30Wh 6s 5000mAh": "label.energy_apart",
    "6s 1300 2kg": "label.weight",
    "6s 1300 20g": "label.weight",
    "6s 1300 " + "x " * 60: "label.too_long",
}


@pytest.mark.parametrize(("line", "why"), SENSELESS.items(), ids=[line[:20] for line in SENSELESS])
def test_a_senseless_label_is_told_why(line, why):
    read = pack_of_label(read_label(line), usual=USUAL)
    assert why in [trouble.key for trouble in read.troubles]


def test_there_are_enough_senseless_ones():
    assert len(SENSELESS) >= 30


def test_what_is_not_said_is_assumed_and_named():
    nothing = pack_of_label(read_label(""), usual=USUAL)
    assert nothing.assumed == {"series", "chemistry", "capacity_ah", "plug"}
    assert (nothing.pack.series, nothing.pack.capacity_ah) == (6, 1.3)
    # Half the cells of the usual pack: as much energy, so twice the charge.
    assert pack_of_label(read_label("3s"), usual=USUAL).pack.capacity_ah == pytest.approx(2.6)
    assert pack_of_label(read_label("6s 1300 lipo 60A plug"), usual=USUAL).assumed == frozenset()
    assert "chemistry" in pack_of_label(read_label("7.4V 850"), usual=USUAL).assumed
    assert "chemistry" not in pack_of_label(read_label("7.6V 850"), usual=USUAL).assumed


def test_a_round_cells_charge_and_current_may_be_one_cells():
    each = pack_of_label(read_label("6S2P 21700 4200 45A"), usual=USUAL)
    assert each.each_cell
    assert each.pack.ratings.continuous_a == 90.0
    whole = pack_of_label(read_label("6S2P 21700 8400 45A"), usual=USUAL)
    assert not whole.each_cell
    assert whole.pack.ratings.continuous_a == 45.0
    assert whole.pack.cell_size.length_m == 0.070


def test_two_rates_are_two_tiers():
    pack = pack_of_label(read_label("1s 450 80/160C"), usual=USUAL).pack
    assert (pack.label_c, pack.ratings.continuous_a, pack.ratings.ten_second_a) == (80.0, 36.0, 72.0)


def test_what_a_maker_calls_it_is_kept():
    assert read_label("Zippy Zest 4s 1500mAh battery").called == "Zippy Zest"
    assert read_label("a b c d e f g h").called == ""


def test_leads_and_plugs_grow_with_the_pack():
    assert usual_leads(chemistry="lipo", series=1, capacity_ah=0.3)[0] == "micro_1s_low"
    plugs = [usual_leads(chemistry="lipo", series=6, capacity_ah=ah)[0] for ah in (0.3, 0.6, 1.3, 5.0, 12.0)]
    assert plugs == ["small_15a", "medium_30a", "large_60a", "heavy_90a", "bullet_150a"]
    assert usual_leads(chemistry="liion_energy", series=6, capacity_ah=3.5)[0] == "medium_30a"
    assert [plug_for(amps) for amps in (3.0, 28.0, 61.0, 500.0)] == [
        "small_15a",
        "medium_30a",
        "large_60a",
        "bullet_150a",
    ]
    assert pack_of_label(read_label("6s 1300 90A plug"), usual=USUAL).pack.connector == "heavy_90a"
    assert set(CONNECTORS) >= {"micro_1s_low", "small_15a"}


def test_a_tiny_pouch_is_made_to_another_measure():
    assert pack_of_label(read_label("1s 300"), usual=USUAL).pack.quality == "micro"
    assert pack_of_label(read_label("1s 1000"), usual=USUAL).pack.quality == "ordinary"
    assert pack_of_label(read_label("2s 300"), usual=USUAL).pack.quality == "ordinary"


_SOME = """6s 4S 2p 1300 1300mAh 1,3Ah 120c 75/150C 30A 22.2V 7.4 214g 2kg 18650 21700 lipo hv li-ion lfp nimh
28Wh 3mΩ x - / plug 0 999999 -5 6s2p 1e9 ½ ² Gnarly ß İ"""
_WORDS = st.sampled_from(_SOME.split())


@settings(max_examples=400, deadline=None)
@given(st.one_of(st.text(max_size=160), st.lists(_WORDS, max_size=14).map(" ".join), st.lists(_WORDS).map("".join)))
def test_any_line_makes_a_pack(line):
    read = pack_of_label(read_label(line), usual=USUAL)
    assert len(read.troubles) <= MOST_TROUBLES
    figures = pack_figures(read.pack)
    assert 0.0 < figures.mass_kg < 1000.0
    assert len(read_label(line).called) <= 40
    assert Pack.model_validate(read.pack.model_dump()) == read.pack


def test_only_so_much_of_a_line_is_looked_at():
    assert read_label("x" * LONGEST_LINE + " 6s").series is None
