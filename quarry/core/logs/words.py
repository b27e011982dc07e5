"""What headers of logs say, as data: words in eight languages and the habits of many hands, none of any one maker.

Words stand without accents, in lower case. ``x*`` begins a word, ``*x`` ends one, ``*x*`` stands anywhere in it; several words
stand one after the other. All of it is common practice, with no source.
"""

from __future__ import annotations

# Whose thing a column is: the pack's, or another's that must never be taken for it.
OWNERS = {
    "pack": "batt*, bat, *akku, akku*, accu*, pack*, pk, pacco, *pacco, pakiet*, paquet*, bateri*, akumulator*, lipo, *pk, *bat, b",
    "cell": "cell*, *zelle*, cel, cella, celle, celda*, celul*, ogniw*, element*, elem, el",
    "remote": """
        controller*, remote*, tablet*, handset*, handheld*, phone*, tx, rc, *transmitter*, camera*, kamera*, gimbal*, goggles,
        brille, ground station, gcs, bodenstation, station sol, *fernsteuerung*, *fernbedienung*, sender*, funke, handy,
        telecommande*, radiocommande*, manette, camara*, mando*, emisora*, control remoto, radiocomando*, telecomando*,
        fotocamera, comando*, controle*, pilot, pilota, pilocie, nadajnik*, aparatur*, zender*, afstandsbediening*,
        grondstation, headset, laptop, display, monitor, estacion, stacja*
    """,
    "engine": """
        motor*, *motor, moteur*, motore, motori, *motori, silnik*, esc, *esc, regler*, regelaar*, variateur, variador,
        regolatore, propeller*
    """,
    "board": "board*, carte, placa*, scheda, plyt*, platine, cpu, imu, *baro*, printplaat, processor*, core, chip, mcu, gyro*",
    "gap": "delta*, diff*, spread*, imbalance*, deviation*, abweichung*, ecart*, differenz*, verschil*, roznica*, unterschied*",
    "air": """
        air, ambient*, outside*, outdoor, oat, luft*, *luft, aussen*, umgebung*, exterieur*, ambiant*, aria, aire, ar,
        esterna, esterno, omgeving*, lucht*, buiten*, powietrz*, otoczeni*, weather
    """,
}

# By quantity what it is measured in, and the words that name it. Whose number a serial is says the owner beside it.
QUANTITIES = {
    "time_s": (
        "time",
        """
        time*, *zeit, zeit*, temps, tiempo*, tempo, hora, heure, ora, uhrzeit, czas*, godzina, tijd*, *tijd, clock*, stamp,
        timestamp*, zeitstempel, horodat*, datetime, fecha y hora, data e ora, data i czas, date et heure, when, utc,
        elapsed*, boot, tm, at, hour*, moment, epoch, second*, sekund*, segund*, sec, zeitpunkt, laufzeit, instante, orario, orologio, reloj
    """,
    ),
    "date_s": ("date", "date, datum, fecha, data, day, dia, jour, giorno, tag, dzien, dag"),
    "left_frac": (
        "percent",
        """
        charge, charge left, *ladung, ladung*, *ladestand*, *remaining*, rest*, soc, state of charge, percent*, *prozent*,
        procent*, pourcentage, porcentaje, percentual*, porcentagem, level, lvl, niveau*, livello*, nivel*, poziom*, stan*,
        carga*, carica*, fuel*, left, gauge, chg, pct, capacity percent, fullung*, fullstand*, *lading*, naladowani*, accustand
    """,
    ),
    "cell_v": (
        "volts",
        """

    """,
    ),
    "cell_low_v": (
        "volts",
        """
        lowest*, min*, *min, weakest*, niedrigst*, kleinst*, schwachst*, minim*, plus bas*, mas baj*, piu bass*, mais baix*,
        najniz*, laagst*, low cell
    """,
    ),
    "cell_high_v": (
        "volts",
        """
        highest*, max*, *max, strongest*, hochst*, grosst*, starkst*, maxim*, plus haut*, mas alt*, piu alt*, mais alt*,
        najwyz*, hoogst*, high cell
    """,
    ),
    "pack_v": (
        "volts",
        """
        *volt*, *spannung*, tension*, tensao*, voltaje*, napiecie*, *spanning*, u total, all cells, total, u, ub, vb, vpack,
        vbat*, ubat*, upk, vpacco, v, uges*
    """,
    ),
    "current_a": (
        "amps",
        """
        intens*,
        *current*, amp*, *strom, strom*, courant*, corriente*, corrente*, prad*, *stroom*, draw, i, ib, ibat*, ipk, ipack,
        ipacco, discharge current
    """,
    ),
    "used_ah": (
        "charge",
        """
        *used*, *consum*, drawn, charge drawn, *verbrauch*, *entnommen*, entnahme, consomm*, mah, pobran*, zuzy*, verbruik*,
        *verbruik*, discharged, capacity used, qb, q, gastad*, usad*, spent, utilise*
    """,
    ),
    "pack_c": ("temperature", "temp*, *temp, tmp*, *temperatur*, t, tpk, tbat*, tpack, tpacco, warmte"),
    "air_c": ("temperature", "oat, luft, air temp*"),
    "height_m": (
        "length",
        """
        height*, altitude*, alt, agl, *hohe*, hoehe*, *hoehe*, hauteur*, altura*, quota*, altezza*, altitud*, wysokos*,
        *hoogte*, above home, above take off, above start, hgt, rel*, hrel, elevation, h
    """,
    ),
    "altitude_m": (
        "length",
        """
        altitude gps, altitud gps, altura gps, gps altura,
        msl, asl, amsl, nn, nhn, *sea*, niveau de la mer, nivel del mar, livello del mare, nivel do mar, zeeniveau, nap, npm,
        ellipsoid*, gps alt*, gps height
    """,
    ),
    "climb_m_s": (
        "speed",
        """
        vspd, vspeed,
        climb*, rate of climb, vert*, *steig*, *sink*, descen*, vario*, vz, vup, vdown, up, down, salita*, montee*, descida*,
        subid*, ascen*, discesa*, wznoszeni*, opadani*, stijg*, *daal*, bajada
    """,
    ),
    "speed_m_s": (
        "speed",
        """
        gspd, gspeed,
        *speed*, velocit*, *geschwindigkeit*, fahrt*, vitesse*, velocidad*, velocidade*, vel, tempo, predkosc*, *snelheid*, gs, sog,
        vgnd, over ground, spd, ground*
    """,
    ),
    "lat_deg": ("position", "lat*, *lat, *breite*, breedte*, szer*, phi, y, latitud*"),
    "lon_deg": ("position", "lon*, lng*, *lon, *lange*, *laenge*, lengte*, dl, dlug*, lambda, x, longitud*"),
    "pitch_deg": (
        "angle",
        "pitch*, pit, nick*, theta, beccheggio, cabeceo, arfagem, tangage, pochyleni*, stamp*, nose up, assiette, inclinaison",
    ),
    "roll_deg": ("angle", "roll*, bank*, phi, rollio, alabeo, rolagem, roulis, przechyleni*, kantel*, querneigung, rol"),
    "heading_deg": (
        "angle",
        """
        heading*, yaw*, hdg, nose*, psi, prua, guinada*, *kurs*, course, cap, lacet, rumbo, rumo, imbardata, koers*, azimut*,
        gier*, odchyleni*, direction
    """,
    ),
    "camera_pitch_deg": (
        "angle",
        """
        camera pitch, gimbal pitch, camera tilt, gimbal tilt, cam pitch, cam tilt, camera angle, gimbal angle, kamera nick*,
        kamera neigung, kamerawinkel, gimbal nick*, gimbal neigung, neigung kamera, inclinaison camera, tangage nacelle,
        inclinacion camara, cabeceo camara, inclinazione camera, inclinacao camera, camera hoek, nachylenie kamery
    """,
    ),
    "wind_m_s": ("speed", "wind, wind speed, windgeschwindigkeit, vent, viento, vento, wiatr*, windsnelheid, wind*"),
    "wind_from_deg": ("angle", "wind from, wind dir*, wind aus, windricht*, wind*, vent*, viento*, wiatr*"),
    "throttle_frac": ("percent", "throttle*, *gas, gaz, acelerador, manetka*, thr, thrust, schub"),
    "satellites": ("count", "*sats, sat*, num sats, *satelli*, gnss*"),
    "flow_l_min": (
        "flow",
        "flow*, *flow, *durchfluss*, durchfl*, debit*, caudal*, portata*, vazao, przeplyw*, debiet*, doorstrom*",
    ),
    "sprays": (
        "count",
        """
        spray*, pump*, pomp*, nozzle*, valve*, *ventil, ventil*, duse*, spruh*, spritz*, vanne*, buse*, pulveris*, boquilla*,
        valvula*, bomba*, ugell*, valvol*, bico*, zawor*, dysz*, oprysk*, sproei*, klep*, dop*
        """,
    ),
    "photos": (
        "count",
        """
        photo*, foto*, image*, img*, picture*, pic, pics, shot*, shutter*, trigger*, *bild*, *ausloser*, exposure*, zdjec*,
        imagen*, immagin*, scatt*, disparo*, declench*, prise de vue, cam trig, capture*, opname*
        """,
    ),
    "mode": ("text", "mode, flight mode, state, modus, phase, fase, etape, etapa, toestand, *zustand, tryb, modo, status, stan"),
    "warning": (
        "text",
        """
        warn*, *warnung*, alert*, alarm*, allarm*, message*, meldung*, melding*, aviso*, avert*, avvis*, ostrzez*, alerte,
        alerta, waarschuw*, event*, note*, hinweis, battery state, battery status, akkuzustand, status bits, statut batterie,
        estado bateria
    """,
    ),
    "firmware": ("text", "firmware*, fw*, software*, version*, release, program*, programm*, logiciel*, oprogramowan*, wersja*"),
    "serial": (
        "text",
        """
        serie*,
        batt* serial, battery id, battery nr, battery no, battery tag, pack serial, pack tag, pack id, pack, akku, akku nr,
        akkunummer, accu nr, *serial*, *seriennummer*, sn, bateria id, batteria id, pakiet, batterie
    """,
    ),
    "airframe": (
        "text",
        """
        serie*,
        craft*, aircraft*, airframe*, serial*, sn, *seriennummer*, numero de serie, uav, drone, unit, toestel, fluggerat*,
        aeronef*, aeronave*, velivolo*, statek, dron, nr seryjny, vehicle*, serial aircraft, machine
    """,
    ),
}

# By dimension each unit: its name, factor and offset (canonical = (value + offset) × factor), and how it is spelled.
# The first is canonical.
UNITS = {
    "volts": (
        ("V", 1.0, 0.0, "v, volt, volts"),
        ("mV", 0.001, 0.0, "mv, millivolt, millivolts"),
        ("cV", 0.01, 0.0, "cv"),
        ("dV", 0.1, 0.0, "dv"),
    ),
    "amps": (
        ("A", 1.0, 0.0, "a, amp, amps, ampere"),
        ("mA", 0.001, 0.0, "ma"),
        ("dA", 0.1, 0.0, "da"),
        ("cA", 0.01, 0.0, "ca"),
    ),
    "charge": (
        ("Ah", 1.0, 0.0, "ah"),
        ("mAh", 0.001, 0.0, "mah"),
    ),
    "percent": (
        ("%", 0.01, 0.0, "%, percent, pct, prozent, procent"),
        ("share", 1.0, 0.0, "share, fraction, frac"),
        ("‰", 0.001, 0.0, "‰, permille, promille, pm"),
    ),
    "temperature": (
        ("°C", 1.0, 0.0, "c, °c, degc, deg c, celsius, grad c, gradi c"),
        ("°F", 0.5555555555555556, -32.0, "f, °f, degf, deg f, fahrenheit"),
        ("K", 1.0, -273.15, "k, kelvin"),
        ("0.1 K", 0.1, -2731.5, "dk, 0.1 k"),
        ("0.1 °C", 0.1, 0.0, "dc, 0.1 c, 0.1 °c, 0.1 degc"),
        ("0.01 °C", 0.01, 0.0, "0.01 c, cdegc"),
    ),
    "length": (
        ("m", 1.0, 0.0, "m, metre, metres, meter, meters, mtr"),
        ("ft", 0.3048, 0.0, "ft, feet, foot"),
        ("cm", 0.01, 0.0, "cm"),
        ("dm", 0.1, 0.0, "dm"),
        ("mm", 0.001, 0.0, "mm"),
    ),
    "speed": (
        ("m/s", 1.0, 0.0, "m/s, mps, ms-1, ms, m s"),
        ("km/h", 0.2777777777777778, 0.0, "km/h, kmh, kph, km h"),
        ("mph", 0.44704, 0.0, "mph, mi/h, mi h"),
        ("kn", 0.5144444444444445, 0.0, "kn, kt, kts, knots, wezly"),
        ("cm/s", 0.01, 0.0, "cm/s, cms, cm s"),
        ("ft/s", 0.3048, 0.0, "ft/s, fps, ft s"),
        ("dm/s", 0.1, 0.0, "dm/s"),
        ("ft/min", 0.00508, 0.0, "ft/min, fpm"),
    ),
    "position": (
        ("°", 1.0, 0.0, "deg, °, degrees, degree, grad, gradi, graden, stopnie"),
        ("1e-7 °", 1e-07, 0.0, "1e-7, e7, 1e-7 deg, 1e-7 °, dege7"),
        ("°, minutes", 1.0, 0.0, "deg min"),
    ),
    "angle": (
        ("°", 1.0, 0.0, "deg, °, degrees, degree, grad, gradi, graden, stopnie, grados"),
        ("0.1 °", 0.1, 0.0, "0.1 deg, 0.1 °, ddeg"),
        ("0.01 °", 0.01, 0.0, "cdeg, 0.01 deg"),
        ("rad", 57.29577951308232, 0.0, "rad, radians"),
    ),
    "time": (
        ("s", 1.0, 0.0, "s, sec, secs, second, seconds, epoch s, sekunden"),
        ("ms", 0.001, 0.0, "ms, millisecond, milliseconds, millis"),
        ("µs", 1e-06, 0.0, "us, µs, microseconds"),
        ("min", 60.0, 0.0, "min, minutes"),
        ("0.1 s", 0.1, 0.0, "ds, 0.1 s"),
        ("day first", 1.0, 0.0, "day first"),
        ("month first", 1.0, 0.0, "month first"),
    ),
    "date": (
        ("", 1.0, 0.0, ""),
        ("day first", 1.0, 0.0, "day first"),
        ("month first", 1.0, 0.0, "month first"),
    ),
    "flow": (
        ("l/min", 1.0, 0.0, "l/min, lpm, l min, litres/min, liter/min"),
        ("ml/min", 0.001, 0.0, "ml/min, ml min, cc/min"),
        ("l/s", 60.0, 0.0, "l/s"),
        ("ml/s", 0.06, 0.0, "ml/s"),
        ("l/h", 0.016666666666666666, 0.0, "l/h, lph"),
    ),
    "count": (("", 1.0, 0.0, ""),),
    "text": (("", 1.0, 0.0, ""),),
}

# What stands above a table.
ABOVE = {
    "firmware": "firmware*, fw, software*, version*, release, program*, programm*, logiciel*, oprogramowan*, wersja*",
    "airframe": """
        aircraft*, craft*, airframe*, uav, drone, unit, toestel, fluggerat*, aeronef*, aeronave*, velivolo*, statek*, dron,
        seryjny, serial*, vehicle*
    """,
    "serial": "pack, batt*, akku, accu, bateri*, pakiet, paquet*, pacco",
    "units": "unit*, unita, einheiten, unites, unidades, jednostki, eenheden",
}

# Words that mean that all is well, or how bad it is.
LEVELS = {
    "calm": """
        none, no, ok, normal*, good, fine, well, keine*, kein, neant, aucun*, rien, ningun*, nada, nessun*, niente, nenhum*,
        geen, brak, zadn*, gut, bien, bene, bem, goed, dobr*, nominal, healthy, full, sufficient, false, off, charged,
        green
    """,
    "low": "low*, *niedrig*, *schwach*, faible*, baj*, bass*, baix*, *laag*, nisk*, reserve*, yellow, amber, return*, warn*",
    "critical": """
        crit*, krit*, *kritisch*, severe*, very low, forced*, emergency*, landing now, land now, critiq*, muy baj*, molto
        bass*, kryty*, zeer laag*, sehr niedrig*, red, empty*, leer, vide, vaci*, scaric*, automatic landing, auto
        land*
    """,
}
