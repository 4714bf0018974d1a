#!/usr/bin/env python3
"""High-precision geodesics: Bessel's integrals on the auxiliary sphere, taken numerically at 50 digits.

A line is given by its first latitude, azimuth and arc; length, longitude, second point, reduced length, geodesic scale
and the area between the line and the equator are integrals. No series, no inverse problem.

usage: python3 tools/reference-geodesics.py > crates/geodesy/tests/data/geodesics.tsv     (needs mpmath)
"""
import random
from mpmath import mp, mpf, sin, cos, tan, sqrt, quad, degrees, radians, atan, atan2, atanh, pi, nstr

mp.dps = 50


class E:
    def __init__(self, a, rf):
        self.a, self.f = mpf(a), 1 / mpf(rf)
        self.e2 = self.f * (2 - self.f)
        self.e = sqrt(self.e2)
        self.b = self.a * (1 - self.f)


def line(el, lat1, az, sig12):
    beta1 = atan((1 - el.f) * tan(lat1))
    sa0 = sin(az) * cos(beta1)
    ca0 = sqrt(cos(az) ** 2 + (sin(az) * sin(beta1)) ** 2)
    s1 = atan2(sin(beta1), cos(az) * cos(beta1)) if (lat1 != 0 or cos(az) != 0) else mpf(0)
    k2 = ca0 ** 2 * el.e2 / (1 - el.e2)
    cuts = [s1 + sig12 * i / 4 for i in range(5)]
    s2 = cuts[-1]
    s = el.b * quad(lambda t: sqrt(1 + k2 * sin(t) ** 2), cuts)
    corr = quad(lambda t: (2 - el.f) / (1 + (1 - el.f) * sqrt(1 + k2 * sin(t) ** 2)), cuts)
    w12 = atan2(sa0 * sin(s2), cos(s2)) - atan2(sa0 * sin(s1), cos(s1))
    while w12 < 0:
        w12 += 2 * pi
    lam = w12 - el.f * sa0 * corr
    beta = lambda t: atan2(ca0 * sin(t), sqrt((ca0 * cos(t)) ** 2 + sa0 ** 2))
    lat = lambda t: atan2(sin(beta(t)), (1 - el.f) * cos(beta(t)))
    j = quad(lambda t: k2 * sin(t) ** 2 / sqrt(1 + k2 * sin(t) ** 2), cuts)
    d1, d2 = sqrt(1 + k2 * sin(s1) ** 2), sqrt(1 + k2 * sin(s2) ** 2)
    m12 = el.b * (d2 * cos(s1) * sin(s2) - d1 * sin(s1) * cos(s2) - cos(s1) * cos(s2) * j)
    big = cos(s1) * cos(s2) + d2 / d1 * sin(s1) * sin(s2) - sin(s1) * cos(s2) * j / d1
    # Area between line and equator: the zone's area per radian of longitude, a²/2·q(φ), times dλ/dσ.
    q = lambda p: (1 - el.e2) * (sin(p) / (1 - el.e2 * sin(p) ** 2) + atanh(el.e * sin(p)) / el.e)

    def dlam(t):
        return sa0 / cos(beta(t)) ** 2 - el.f * sa0 * (2 - el.f) / (1 + (1 - el.f) * sqrt(1 + k2 * sin(t) ** 2))

    area = quad(lambda t: el.a ** 2 / 2 * q(lat(t)) * dlam(t), cuts)
    return s, lam, lat(s2), atan2(sa0, ca0 * cos(s2)), m12, big, area


random.seed(20261125)
print("a\trf\tlat1\tazimuth1\tdistance\tdlon\tlat2\tazimuth2\treduced_length\tscale\tarea\tshortest")
cases = []
for _ in range(60):
    cases.append((random.uniform(-89, 89), random.uniform(0.5, 179.5), random.uniform(0.001, 170)))
for _ in range(15):
    cases.append((random.uniform(-80, 80), random.uniform(0.5, 179.5), random.uniform(1e-6, 0.01)))
for _ in range(40):
    # Nearly antipodal: the arc close to half a turn, the azimuth such that the line is still the shortest.
    cases.append((random.uniform(-60, 60), random.uniform(20, 160), random.uniform(178.5, 179.99)))
cases += [(0, 45, 90), (0, 1, 179.5), (45, 90, 100), (-30, 89.999, 179.3), (0, 89, 179), (60, 0.001, 29.9), (89.999, 30, 100)]
for rf, a in (("298.257223563", "6378137"), ("293.465", "6378249.145")):
    el = E(a, rf)
    for lat1, az, arc in cases:
        lat1, az, arc = [mpf(mp.nstr(mpf(v), 12)) for v in (lat1, az, arc)]
        s, lam, lat2, az2, m12, big, area = line(el, radians(lat1), radians(az), radians(arc))
        # Short of the conjugate point and of half a turn in longitude a line is the shortest one.
        shortest = int(m12 >= 0 and lam <= pi)
        values = [s, degrees(lam), degrees(lat2), degrees(az2), m12, big, area]
        print("\t".join([a, rf, nstr(lat1, 15), nstr(az, 15)] + [nstr(v, 22) for v in values] + [str(shortest)]))
