"""Where facts come from, registered once and cited by key."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Kind = Literal["standard", "handbook", "paper", "practice", "assumption", "algebra", "measured"]


@dataclass(frozen=True, slots=True)
class Source:
    """A published work, a common practice or an assumption.

    ``memory`` says that the place in the work was quoted from memory and not looked up.
    """

    key: str
    title: str
    year: int | None
    kind: Kind
    memory: bool = False

    @property
    def words(self) -> str:
        """One line for screens and documents."""
        year = f", {self.year}" if self.year else ""
        note = " (quoted from memory)" if self.memory else ""
        return f"{self.title}{year}{note}"


SOURCES: dict[str, Source] = {}


def _register(*args: object, **more: object) -> Source:
    source = Source(*args, **more)  # type: ignore[arg-type]
    SOURCES[source.key] = source
    return source


ALGEBRA = _register("algebra", "follows from the definitions", None, "algebra")
NAVIGATION = _register(
    "navigation", "FAA-H-8083-25, Pilot's Handbook of Aeronautical Knowledge, wind triangle", None, "handbook", memory=True
)
KARNEY = _register("karney-2013", "Karney, Algorithms for geodesics, J. Geodesy 87:43-55", 2013, "paper")
PHOTOGRAMMETRY = _register(
    "wolf-2014",
    "Wolf, Dewitt and Wilkinson, Elements of Photogrammetry, 4th ed., project planning",
    2014,
    "handbook",
    memory=True,
)
SPRAYING = _register("spray-600", "sprayer calibration, extension services and ASABE practice", None, "handbook", memory=True)
NOZZLE_SIZES = _register(
    "iso-10625", "ISO 10625, spray nozzles: nominal flow at 3 bar and colour by size", None, "standard", memory=True
)
DROPLETS = _register(
    "asabe-s572", "ASABE S572.1 and ISO 25358, droplet classes by volume median diameter", None, "standard", memory=True
)
PATTERN = _register(
    "asabe-s386", "ASABE S386 and ISO 5682-2, coefficient of variation of overlapped passes", None, "standard", memory=True
)
INVERSION = _register(
    "inversion", "surface temperature inversions and spray drift, extension services", None, "handbook", memory=True
)
SETTLING = _register(
    "schiller-naumann-1933", "Schiller and Naumann, drag of spheres, Z. VDI 77:318-320", 1933, "paper", memory=True
)
ORIFICE = _register("orifice", "flow through an orifice grows with the root of the pressure", None, "algebra")
KOOPMAN = _register("koopman-1980", "Koopman, Search and Screening", 1980, "paper", memory=True)
IAMSAR = _register("iamsar-2", "IAMSAR Manual vol. II, search planning", None, "standard", memory=True)
TOBLER = _register(
    "tobler-1993",
    "Tobler, Three presentations on geographical analysis and modeling, NCGIA report 93-1: hiking function",
    1993,
    "paper",
    memory=True,
)
CHARNES = _register(
    "charnes-cooper-1958",
    "Charnes and Cooper, The theory of search: optimum distribution of search effort, Management Science 5:44-50",
    1958,
    "paper",
    memory=True,
)
CROSSOVER = _register(
    "robe-frost-2002",
    "Robe and Frost, A method for determining effective sweep widths for land searches, US Coast Guard",
    2002,
    "paper",
    memory=True,
)
SWEEP = _register(
    "huang-2001", "Huang, Optimal line-sweep-based decompositions for coverage algorithms, ICRA", 2001, "paper", memory=True
)
BELLMAN = _register("dynamic-programme", "dynamic programme over break points, exact on its grid", None, "algebra")
PRACTICE = _register("practice", "common practice, no source", None, "practice")
ASSUMED = _register("assumed", "assumption, replace it by your own measurement", None, "assumption")
ENTERED = _register("entered", "entered by the crew or from the maker's manual", None, "measured")
WORKING_TIME = _register("eu-2003-88", "Directive 2003/88/EC, articles 3 and 4: rest and breaks", 2003, "standard", memory=True)
BUHLMANN = _register(
    "buhlmann-1967", "Bühlmann, Experience rating and credibility, ASTIN Bulletin 4:199-207", 1967, "paper", memory=True
)
MEASURED = _register("measured", "from your own records and flights", None, "measured")
LITTLE = _register("cyclic-queue", "cyclic queue: Little's law and port use of at most one", None, "algebra")
ECKER = _register(
    "ecker-2015",
    "Ecker et al., J. Electrochem. Soc. 162:A1836-A1857, 7.5 Ah NMC-type pouch, as carried by PyBaMM 26.10",
    2015,
    "paper",
    memory=True,
)
AI = _register(
    "ai-2020",
    "Ai et al., J. Electrochem. Soc. 167:013512, 2.28 Ah LCO pouch, as carried by PyBaMM 26.10",
    2020,
    "paper",
    memory=True,
)
KIM = _register(
    "kim-2011",
    "Kim et al., J. Electrochem. Soc. 158:A955-A969, NCA stacked pouch, as carried by PyBaMM 26.10",
    2011,
    "paper",
    memory=True,
)
MARQUIS = _register(
    "marquis-2019",
    "Marquis et al., J. Electrochem. Soc. 166:A3693-A3706, LCO pouch, as carried by PyBaMM 26.10",
    2019,
    "paper",
    memory=True,
)
CHEN = _register(
    "chen-2020",
    "Chen et al., J. Electrochem. Soc. 167:080534, 5 Ah NMC811 21700, as carried by PyBaMM 26.10",
    2020,
    "paper",
    memory=True,
)
PRADA = _register(
    "prada-2013",
    "Prada et al., J. Electrochem. Soc. 160:A616-A628, LFP 26650, as carried by PyBaMM 26.10",
    2013,
    "paper",
    memory=True,
)
IEC_61960 = _register(
    "iec-61960", "IEC 61960-3 and Linden's Handbook of Batteries, 5th ed., cell voltages", 2019, "handbook", memory=True
)
ARRHENIUS = _register(
    "arrhenius",
    "Arrhenius form of resistance over temperature; coefficient read from the spread of published cells",
    None,
    "paper",
    memory=True,
)
LEAST_SQUARES = _register("least-squares", "linear least squares of volts on amperes and charge drawn", None, "algebra")
AIR_TRANSPORT = _register(
    "icao-ti",
    "ICAO Technical Instructions, Doc 9284, Part 8, and IATA DGR table 2.3.A; check the edition in force",
    None,
    "standard",
    memory=True,
)
THEIL_SEN = _register(
    "sen-1968",
    "Sen, Estimates of the regression coefficient based on Kendall's tau, JASA 63:1379-1389",
    1968,
    "paper",
    memory=True,
)
ISA = _register("isa", "ISO 2533 Standard Atmosphere; ICAO Doc 7488", 1975, "standard", memory=True)
CIPM = _register(
    "picard-2008",
    "Picard, Davis, Gläser and Fujii, Revised formula for the density of moist air, Metrologia 45:149-155; ideal-gas form",
    2008,
    "paper",
    memory=True,
)
WMO_8 = _register("wmo-8", "WMO-No. 8, Guide to Instruments and Methods of Observation", None, "standard", memory=True)
ASHRAE = _register("ashrae", "ASHRAE Handbook, Fundamentals, ch. 1 Psychrometrics", None, "handbook", memory=True)
MANWELL = _register(
    "manwell-2009", "Manwell, McGowan and Rogers, Wind Energy Explained, ch. 2, wind with height", 2009, "handbook", memory=True
)
EUROCODE = _register("en-1991-1-4", "EN 1991-1-4, clause 4, turbulence intensity and peak factor", 2005, "standard", memory=True)
WMO_306 = _register("wmo-306", "WMO-No. 306, Manual on Codes, FM-15 METAR and code table 1100", None, "standard", memory=True)
MEEUS = _register(
    "astral", "sun position after Meeus, Astronomical Algorithms, as carried by the package astral", None, "handbook"
)
ZENG = _register(
    "zeng-2019",
    "Zeng, Xu and Zhang, Energy Minimization for Wireless Communication With Rotary-Wing UAV, IEEE TWC 18(4):2329-2345",
    2019,
    "paper",
    memory=True,
)
LEISHMAN = _register(
    "leishman-2006",
    "Leishman, Principles of Helicopter Aerodynamics, 2nd ed., ch. 2, momentum theory",
    2006,
    "handbook",
    memory=True,
)
INCROPERA = _register(
    "incropera", "Incropera and DeWitt, Fundamentals of Heat and Mass Transfer, lumped capacitance", None, "handbook", memory=True
)
WOEHLER = _register(
    "woehler-depth",
    "cycles against depth as a power law, as published ageing studies fit it (trend: Ecker et al., J. Power Sources 248:839-851)",
    2014,
    "paper",
    memory=True,
)
CELL_FIT = _register(
    "cell-fit",
    "equivalent circuit fitted to the published cells Kim 2011, Ecker 2015 and O'Kane 2022 over temperature and rate; see docs/decisions",
    None,
    "assumption",
)
FORECAST = _register("forecast", "forecast of the weather service", None, "measured")
CHILL = _register(
    "osczevski-2005",
    "Osczevski and Bluestein, The new wind chill equivalent temperature chart, Bull. Amer. Meteor. Soc. 86:1453-1458",
    2005,
    "paper",
    memory=True,
)
NEC_80 = _register(
    "nec-210-20",
    "NFPA 70 (NEC) 210.20(A): continuous load at most 80 % of the breaker; prudent elsewhere",
    None,
    "standard",
    memory=True,
)
GENERATOR_HANDBOOK = _register(
    "generator-derating",
    "3.5 % for each 300 m, 1 to 2 % for each 10 K above 25 °C, handbook figures",
    None,
    "handbook",
    memory=True,
)
SKARSTEIN = _register(
    "skarstein-1989",
    "Skarstein and Uhlen, Design considerations with respect to long-term diesel saving in wind/diesel plants, Wind Engineering 13:72-87",
    1989,
    "paper",
    memory=True,
)
