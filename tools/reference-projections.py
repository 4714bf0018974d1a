#!/usr/bin/env python3
"""High-precision reference values for the projection methods, from their defining formulas at 40 digits.

The library uses series in the third flattening, branch-free elementary functions and closed inverses; here the
isometric and authalic latitudes are closed forms, meridian arcs and geodesics numerical integrals (Bessel's integrals
on the auxiliary sphere), implicit equations are solved by a general root finder, and the transverse Mercator that
the zoned grid needs is integrated in the complex plane.

usage: python3 tools/reference-projections.py > crates/geodesy/tests/data/projections.tsv     (needs mpmath)
"""
import random
from mpmath import (mp, mpf, mpc, sin, cos, tan, sqrt, quad, radians, degrees, log, exp, atan, atan2, asin, acos, atanh,
                    pi, nstr)

mp.dps = 40
WGS = ("6378137", "298.257223563")
CLARKE = ("6378206.4", "294.978698213898")
INTL = ("6378388", "297")


class E:
    def __init__(self, a, rf):
        self.a = mpf(a)
        self.f = 1 / mpf(rf) if mpf(rf) else mpf(0)
        self.e2 = self.f * (2 - self.f)
        self.e = sqrt(self.e2)
        self.b = self.a * (1 - self.f)

    def psi(self, p):
        return atanh(sin(p)) - self.e * atanh(self.e * sin(p))

    def q(self, p):
        if self.e2 == 0:
            return 2 * sin(p)
        return (1 - self.e2) * (sin(p) / (1 - self.e2 * sin(p) ** 2) + atanh(self.e * sin(p)) / self.e)

    def m(self, p):
        return cos(p) / sqrt(1 - self.e2 * sin(p) ** 2)

    def nu(self, p):
        return self.a / sqrt(1 - self.e2 * sin(p) ** 2)

    def rho(self, p):
        return self.a * (1 - self.e2) / (1 - self.e2 * sin(p) ** 2) ** mpf("1.5")

    def arc(self, p):
        return quad(self.rho, [0, p / 2, p]) if p else mpf(0)


def geodesic(el, lat1, az, sig12):
    """From latitude and azimuth (radians), an arc on the auxiliary sphere: s, dlon, lat2, az2, m12, M12."""
    beta1 = atan((1 - el.f) * tan(lat1))
    sa0 = sin(az) * cos(beta1)
    ca0 = sqrt(cos(az) ** 2 + (sin(az) * sin(beta1)) ** 2)
    s1 = atan2(sin(beta1), cos(az) * cos(beta1)) if (lat1 != 0 or cos(az) != 0) else mpf(0)
    s2 = s1 + sig12
    k2 = ca0 ** 2 * el.e2 / (1 - el.e2)
    cuts = [s1 + sig12 * i / 4 for i in range(5)]
    s = el.b * quad(lambda t: sqrt(1 + k2 * sin(t) ** 2), cuts)
    corr = quad(lambda t: (2 - el.f) / (1 + (1 - el.f) * sqrt(1 + k2 * sin(t) ** 2)), cuts)
    w1, w2 = atan2(sa0 * sin(s1), cos(s1)), atan2(sa0 * sin(s2), cos(s2))
    w12 = w2 - w1
    while w12 < -mpf(10) ** -30:
        w12 += 2 * pi
    lam = w12 - el.f * sa0 * corr
    beta2 = atan2(ca0 * sin(s2), sqrt((ca0 * cos(s2)) ** 2 + sa0 ** 2))
    lat2 = atan2(sin(beta2), (1 - el.f) * cos(beta2))
    az2 = atan2(sa0, ca0 * cos(s2))
    j = quad(lambda t: k2 * sin(t) ** 2 / sqrt(1 + k2 * sin(t) ** 2), cuts)
    d1, d2 = sqrt(1 + k2 * sin(s1) ** 2), sqrt(1 + k2 * sin(s2) ** 2)
    m12 = el.b * (d2 * cos(s1) * sin(s2) - d1 * sin(s1) * cos(s2) - cos(s1) * cos(s2) * j)
    big = cos(s1) * cos(s2) + d2 / d1 * sin(s1) * sin(s2) - sin(s1) * cos(s2) * j / d1
    return s, lam, lat2, az2, m12, big


def bisect(f, low, high):
    """The root of a monotone function, to all digits."""
    low, high = mpf(low), mpf(high)
    rising = f(high) > f(low)
    for _ in range(140):
        middle = (low + high) / 2
        if (f(middle) > 0) == rising:
            high = middle
        else:
            low = middle
    return (low + high) / 2


def wrap(l):
    while l > pi:
        l -= 2 * pi
    while l < -pi:
        l += 2 * pi
    return l


R = lambda t: radians(mpf(t))


def mercator_b(el, p, lam, phi):
    k = el.m(R(p["standard_parallel_1"]))
    return el.a * k * lam, el.a * k * el.psi(phi)


def mercator_c(el, p, lam, phi):
    x, y = mercator_b(el, p, lam, phi)
    return x, y - el.a * el.m(R(p["standard_parallel_1"])) * el.psi(R(p["latitude_of_origin"]))


def mercator_a(el, p, lam, phi):
    k = mpf(p["scale_factor"])
    return el.a * k * lam, el.a * k * el.psi(phi)


def pseudo(el, p, lam, phi):
    return el.a * lam, el.a * atanh(sin(phi))


def albers(el, p, lam, phi):
    p1, p2, p0 = R(p["standard_parallel_1"]), R(p["standard_parallel_2"]), R(p["latitude_of_center"])
    n = (el.m(p1) ** 2 - el.m(p2) ** 2) / (el.q(p2) - el.q(p1))
    c = el.m(p1) ** 2 + n * el.q(p1)
    r = lambda t: el.a * sqrt(c - n * el.q(t)) / n
    return r(phi) * sin(n * lam), r(p0) - r(phi) * cos(n * lam)


def laea(el, p, lam, phi):
    p0 = R(p["latitude_of_center"])
    qp = el.q(pi / 2)
    if abs(abs(p0) - pi / 2) < mpf(10) ** -30:
        sign = 1 if p0 > 0 else -1
        r = el.a * sqrt(qp - sign * el.q(phi))
        return r * sin(lam), -sign * r * cos(lam)
    b, b0 = asin(el.q(phi) / qp), asin(el.q(p0) / qp)
    rq = el.a * sqrt(qp / 2)
    d = el.a * el.m(p0) / (rq * cos(b0))
    k = rq * sqrt(2 / (1 + sin(b0) * sin(b) + cos(b0) * cos(b) * cos(lam)))
    return k * d * cos(b) * sin(lam), k / d * (cos(b0) * sin(b) - sin(b0) * cos(b) * cos(lam))


def polar(el, p, lam, phi):
    p0 = R(p["latitude_of_origin"])
    sign = 1 if p0 > 0 else -1
    t = exp(-sign * el.psi(phi)) if abs(phi) < pi / 2 else mpf(0)
    if abs(abs(p0) - pi / 2) < mpf(10) ** -30:
        r = 2 * el.a * mpf(p["scale_factor"]) * t / sqrt((1 + el.e) ** (1 + el.e) * (1 - el.e) ** (1 - el.e))
    else:
        r = el.a * el.m(abs(p0)) * t / exp(-el.psi(abs(p0)))
    return r * sin(lam), -sign * r * cos(lam)


def polar_c(el, p, lam, phi):
    x, y = polar(el, p, lam, phi)
    p0 = R(p["latitude_of_origin"])
    sign = 1 if p0 > 0 else -1
    return x, y + sign * el.a * el.m(p0)


def oblique_stereographic(el, p, lam, phi):
    p0 = R(p["latitude_of_origin"])
    r = sqrt(el.rho(p0) * el.nu(p0))
    n = sqrt(1 + el.e2 * cos(p0) ** 4 / (1 - el.e2))
    s1 = (1 + sin(p0)) / (1 - sin(p0))
    s2 = (1 - el.e * sin(p0)) / (1 + el.e * sin(p0))
    w1 = (s1 * s2 ** el.e) ** n
    sx = (w1 - 1) / (w1 + 1)
    c = (n + sin(p0)) * (1 - sx) / ((n - sin(p0)) * (1 + sx))
    x0 = asin((c * w1 - 1) / (c * w1 + 1))
    w = c * ((1 + sin(phi)) / (1 - sin(phi)) * ((1 - el.e * sin(phi)) / (1 + el.e * sin(phi))) ** el.e) ** n
    x = asin((w - 1) / (w + 1))
    l = n * lam
    b = 1 + sin(x) * sin(x0) + cos(x) * cos(x0) * cos(l)
    k = 2 * r * mpf(p["scale_factor"])
    return k * cos(x) * sin(l) / b, k * (sin(x) * cos(x0) - cos(x) * sin(x0) * cos(l)) / b


def hotine(el, p, lam, phi, centre=False):
    pc, az, kc = R(p["latitude_of_center"]), R(p["azimuth"]), mpf(p["scale_factor"])
    gc = R(p.get("rectified_grid_angle", p["azimuth"]))
    e, e2 = el.e, el.e2
    b = sqrt(1 + e2 * cos(pc) ** 4 / (1 - e2))
    a = el.a * b * kc * sqrt(1 - e2) / (1 - e2 * sin(pc) ** 2)
    tt = lambda f: tan(pi / 4 - f / 2) / ((1 - e * sin(f)) / (1 + e * sin(f))) ** (e / 2)
    d = b * sqrt(1 - e2) / (cos(pc) * sqrt(1 - e2 * sin(pc) ** 2))
    root = sqrt(d * d - 1) * (1 if pc > 0 else -1)
    f = d + root
    h = f * tt(pc) ** b
    g = (f - 1 / f) / 2
    g0 = asin(sin(az) / d)
    if p["azimuth"] == "90":
        l0 = -(pi / 2 if root > 0 else -pi / 2) / b
        uc = a * -l0
    else:
        l0 = -asin(g * tan(g0)) / b
        uc = a / b * atan2(sqrt(d * d - 1), cos(az)) * (1 if pc > 0 else -1)
    q = h / tt(phi) ** b
    s, t = (q - 1 / q) / 2, (q + 1 / q) / 2
    v1 = sin(b * (lam - l0))
    u1 = (-v1 * cos(g0) + s * sin(g0)) / t
    v = a * log((1 - u1) / (1 + u1)) / (2 * b)
    u = a / b * atan2(s * cos(g0) + v1 * sin(g0), cos(b * (lam - l0)))
    if centre:
        u -= uc
    return v * cos(gc) + u * sin(gc), u * cos(gc) - v * sin(gc)


def hotine_b(el, p, lam, phi):
    return hotine(el, p, lam, phi, True)


def laborde(el, p, lam, phi):
    pc, az, k = R(p["latitude_of_center"]), R(p["azimuth"]), mpf(p["scale_factor"])
    b = sqrt(1 + el.e2 * cos(pc) ** 4 / (1 - el.e2))
    ps = asin(sin(pc) / b)
    r = el.a * k * sqrt(1 - el.e2) / (1 - el.e2 * sin(pc) ** 2)
    c = log(tan(pi / 4 + ps / 2)) - b * el.psi(pc)
    l = b * lam
    q = c + b * el.psi(phi)
    pp = 2 * atan(exp(q)) - pi / 2
    u = cos(pp) * cos(l) * cos(ps) + sin(pp) * sin(ps)
    v = cos(pp) * cos(l) * sin(ps) - sin(pp) * cos(ps)
    w = cos(pp) * sin(l)
    d = sqrt(u * u + v * v)
    l1, p1 = 2 * atan(v / (u + d)), atan(w / d)
    h = mpc(-l1, log(tan(pi / 4 + p1 / 2)))
    g = mpc(1 - cos(2 * az), sin(2 * az)) / 12
    z = h + g * h ** 3
    return r * z.imag, r * z.real


def cassini_from_foot(el, p, foot, sigma):
    """A point by the foot of its perpendicular: latitude, longitude, x and y."""
    s, lam, lat, _, _, _ = geodesic(el, foot, pi / 2, sigma)
    return lam, lat, s, el.arc(foot) - el.arc(R(p["latitude_of_origin"]))


def polyconic(el, p, lam, phi):
    m = el.arc(phi) - el.arc(R(p["latitude_of_origin"]))
    if phi == 0:
        return el.a * lam, m
    nu = el.nu(phi)
    return nu / tan(phi) * sin(lam * sin(phi)), m + nu / tan(phi) * (1 - cos(lam * sin(phi)))


def krovak(el, p, lam, phi):
    pc, ac, pp = R(p["latitude_of_center"]), R(p["azimuth"]), R(p["pseudo_standard_parallel_1"])
    e, e2 = el.e, el.e2
    a = el.a * sqrt(1 - e2) / (1 - e2 * sin(pc) ** 2)
    b = sqrt(1 + e2 * cos(pc) ** 4 / (1 - e2))
    g0 = asin(sin(pc) / b)
    t0 = tan(pi / 4 + g0 / 2) * ((1 + e * sin(pc)) / (1 - e * sin(pc))) ** (e * b / 2) / tan(pi / 4 + pc / 2) ** b
    n = sin(pp)
    r0 = mpf(p["scale_factor"]) * a / tan(pp)
    u = 2 * (atan(t0 * tan(phi / 2 + pi / 4) ** b / ((1 + e * sin(phi)) / (1 - e * sin(phi))) ** (e * b / 2)) - pi / 4)
    v = -b * lam
    t = asin(cos(ac) * sin(u) + sin(ac) * cos(u) * cos(v))
    d = asin(cos(u) * sin(v) / cos(t))
    r = r0 * tan(pi / 4 + pp / 2) ** n / tan(t / 2 + pi / 4) ** n
    return r * sin(n * d), r * cos(n * d)


def nzmg(el, p, lam, phi):
    a = ["0.6399175073", "-0.1358797613", "0.063294409", "-0.02526853", "0.0117879", "-0.0055161", "0.0026906", "-0.001333", "0.00067", "-0.00034"]
    b = [("0.7557853228", "0"), ("0.249204646", "0.003371507"), ("-0.001541739", "0.041058560"), ("-0.10162907", "0.01727609"), ("-0.26623489", "-0.36249218"), ("-0.6870983", "-1.1651967")]
    d = degrees(phi - R(p["latitude_of_origin"])) * 3600 / 100000
    psi = sum(mpf(c) * d ** (k + 1) for k, c in enumerate(a))
    z = sum(mpc(mpf(r), mpf(i)) * mpc(psi, lam) ** (k + 1) for k, (r, i) in enumerate(b))
    return el.a * z.imag, el.a * z.real


def cea(el, p, lam, phi):
    k = el.m(R(p["standard_parallel_1"]))
    return el.a * k * lam, el.a * el.q(phi) / (2 * k)


def equidistant_cylindrical(el, p, lam, phi):
    return el.a * el.m(R(p["standard_parallel_1"])) * lam, el.arc(phi)


def equidistant_conic(el, p, lam, phi):
    p1, p2, p0 = R(p["standard_parallel_1"]), R(p["standard_parallel_2"]), R(p["latitude_of_center"])
    n = el.a * (el.m(p1) - el.m(p2)) / (el.arc(p2) - el.arc(p1))
    g = el.a * el.m(p1) / n + el.arc(p1)
    r = g - el.arc(phi)
    return r * sin(n * lam), g - el.arc(p0) - r * cos(n * lam)


def bonne(el, p, lam, phi):
    p1 = R(p["standard_parallel_1"])
    top = el.a * el.m(p1) / sin(p1)
    r = top + el.arc(p1) - el.arc(phi)
    t = el.a * el.m(phi) * lam / r
    return r * sin(t), top - r * cos(t)


def sinusoidal(el, p, lam, phi):
    return el.a * lam * el.m(phi), el.arc(phi)


def orthographic(el, p, lam, phi):
    p0 = R(p["latitude_of_center"])
    n, n0 = el.nu(phi), el.nu(p0)
    if sin(p0) * sin(phi) + cos(p0) * cos(phi) * cos(lam) < 0:
        return None
    return n * cos(phi) * sin(lam), n * (sin(phi) * cos(p0) - cos(phi) * sin(p0) * cos(lam)) + el.e2 * (n0 * sin(p0) - n * sin(phi)) * cos(p0)


def near_conformal(el, p, lam, phi):
    p0, k = R(p["latitude_of_origin"]), mpf(p["scale_factor"])
    m = el.arc(phi) - el.arc(p0)
    big = k * (m + m ** 3 / (6 * el.rho(p0) * el.nu(p0)))
    r = k * el.nu(p0) / tan(p0) - big
    t = lam * sin(p0)
    return r * sin(t), big + r * sin(t) * tan(t / 2)


def guam(el, p, lam, phi):
    x = el.nu(phi) * cos(phi) * lam
    return x, el.arc(phi) - el.arc(R(p["latitude_of_origin"])) + x * x * tan(phi) * sqrt(1 - el.e2 * sin(phi) ** 2) / (2 * el.a)


def equal_earth(el, p, lam, phi):
    qp = el.q(pi / 2)
    r = el.a * sqrt(qp / 2)
    t = asin(sqrt(mpf(3)) / 2 * el.q(phi) / qp)
    a1, a2, a3, a4 = [mpf(v) for v in ("1.340264", "-0.081106", "0.000893", "0.003796")]
    return (2 * sqrt(mpf(3)) * r * lam * cos(t) / (3 * (9 * a4 * t ** 8 + 7 * a3 * t ** 6 + 3 * a2 * t ** 2 + a1)),
            r * (a4 * t ** 9 + a3 * t ** 7 + a2 * t ** 3 + a1 * t))


def natural_earth(el, p, lam, phi):
    f = [mpf(v) for v in ("0.8707", "-0.131979", "-0.013791", "0.003971", "-0.001529")]
    g = [mpf(v) for v in ("1.007226", "0.015085", "-0.044475", "0.028874", "-0.005916")]
    return (el.a * lam * (f[0] + f[1] * phi ** 2 + f[2] * phi ** 4 + f[3] * phi ** 10 + f[4] * phi ** 12),
            el.a * (g[0] * phi + g[1] * phi ** 3 + g[2] * phi ** 7 + g[3] * phi ** 9 + g[4] * phi ** 11))


def mollweide_theta(phi):
    if abs(phi) >= pi / 2:
        return phi
    return bisect(lambda t: 2 * t + sin(2 * t) - pi * sin(phi), -pi / 2, pi / 2)


def mollweide(el, p, lam, phi):
    t = mollweide_theta(phi)
    return 2 * sqrt(mpf(2)) / pi * el.a * lam * cos(t), sqrt(mpf(2)) * el.a * sin(t)


def eckert4(el, p, lam, phi):
    t = bisect(lambda t: t + sin(t) * cos(t) + 2 * sin(t) - (2 + pi / 2) * sin(phi), -pi / 2, pi / 2)
    return 2 / sqrt(pi * (4 + pi)) * el.a * lam * (1 + cos(t)), 2 * sqrt(pi / (4 + pi)) * el.a * sin(t)


def eckert6(el, p, lam, phi):
    t = bisect(lambda t: t + sin(t) - (1 + pi / 2) * sin(phi), -pi / 2, pi / 2)
    return el.a * lam * (1 + cos(t)) / sqrt(2 + pi), 2 * el.a * t / sqrt(2 + pi)


def aitoff(el, p, lam, phi):
    al = acos(cos(phi) * cos(lam / 2))
    k = al / sin(al) if al else mpf(1)
    return 2 * el.a * k * cos(phi) * sin(lam / 2), el.a * k * sin(phi)


def hammer(el, p, lam, phi):
    k = el.a * sqrt(2 / (1 + cos(phi) * cos(lam / 2)))
    return 2 * k * cos(phi) * sin(lam / 2), k * sin(phi)


def winkel(el, p, lam, phi):
    x, y = aitoff(el, p, lam, phi)
    return (x + el.a * lam * 2 / pi) / 2, (y + el.a * phi) / 2


def grinten(el, p, lam, phi):
    t = asin(abs(2 * phi / pi))
    if phi == 0:
        return el.a * lam, mpf(0)
    if lam == 0:
        return mpf(0), pi * el.a * tan(t / 2) * (1 if phi > 0 else -1)
    a = abs(pi / lam - lam / pi) / 2
    g = cos(t) / (sin(t) + cos(t) - 1)
    pp = g * (2 / sin(t) - 1)
    q = a * a + g
    x = pi * el.a * (a * (g - pp ** 2) + sqrt(a ** 2 * (g - pp ** 2) ** 2 - (pp ** 2 + a ** 2) * (g ** 2 - pp ** 2))) / (pp ** 2 + a ** 2)
    y = pi * el.a * (pp * q - a * sqrt((a ** 2 + 1) * (pp ** 2 + a ** 2) - q ** 2)) / (pp ** 2 + a ** 2)
    return x * (1 if lam > 0 else -1), y * (1 if phi > 0 else -1)


def gall(el, p, lam, phi):
    return el.a * lam / sqrt(mpf(2)), el.a * (1 + sqrt(mpf(2)) / 2) * tan(phi / 2)


def miller(el, p, lam, phi):
    return el.a * lam, el.a * log(tan(pi / 4 + 2 * phi / 5)) * 5 / 4


def robinson(el, p, lam, phi):
    xs = "1.0 0.9986 0.9954 0.9900 0.9822 0.9730 0.9600 0.9427 0.9216 0.8962 0.8679 0.8350 0.7986 0.7597 0.7186 0.6732 0.6213 0.5722 0.5322".split()
    ys = "0 0.0620 0.1240 0.1860 0.2480 0.3100 0.3720 0.4340 0.4958 0.5571 0.6176 0.6769 0.7346 0.7903 0.8435 0.8936 0.9394 0.9761 1.0".split()

    def spline(half, odd):
        v = [(-1 if odd else 1) * mpf(h) for h in half[:0:-1]] + [mpf(h) for h in half]
        n = len(v)
        a = mp.matrix(n, n)
        r = mp.matrix(n, 1)
        a[0, 0] = a[n - 1, n - 1] = 1
        for i in range(1, n - 1):
            a[i, i - 1], a[i, i], a[i, i + 1] = 1, 4, 1
            r[i] = 6 * (v[i - 1] - 2 * v[i] + v[i + 1])
        m = mp.lu_solve(a, r)
        t = degrees(phi) / 5 + 18
        i = min(int(mp.floor(t)), n - 2)
        bb, aa = t - i, 1 - (t - i)
        return aa * v[i] + bb * v[i + 1] + ((aa ** 3 - aa) * m[i] + (bb ** 3 - bb) * m[i + 1]) / 6

    return mpf("0.8487") * el.a * spline(xs, False) * lam, mpf("1.3523") * el.a * spline(ys, True)


def two_point(el, p, lon, phi):
    l1, p1, l2, p2 = [R(p[k]) for k in ("longitude_of_point_1", "latitude_of_point_1", "longitude_of_point_2", "latitude_of_point_2")]
    d = lambda a, b, c, e: acos(sin(b) * sin(e) + cos(b) * cos(e) * cos(a - c))
    az = lambda a, b, c, e: atan2(cos(e) * sin(c - a), cos(b) * sin(e) - sin(b) * cos(e) * cos(c - a))
    z1, z2, z0 = d(l1, p1, lon, phi), d(l2, p2, lon, phi), d(l1, p1, l2, p2)
    if z1 + z2 + z0 >= 2 * pi - mpf("0.05"):
        return None
    x = (z1 ** 2 - z2 ** 2) / (2 * z0)
    y = sqrt(z1 ** 2 - (x + z0 / 2) ** 2)
    turn = wrap(az(l1, p1, lon, phi) - az(l1, p1, l2, p2))
    return el.a * x, el.a * (y if turn < 0 else -y)


FUSE = []


def goode(el, p, lon, phi):
    lobes = [(-180, -100, -40), (-40, 30, 180)] if phi >= 0 else [(-180, -160, -100), (-100, -60, -20), (-20, 20, 80), (80, 140, 180)]
    if not FUSE:
        FUSE.append(bisect(lambda t: cos(t) - 2 * sqrt(mpf(2)) / pi * cos(mollweide_theta(t)), "0.65", "0.75"))
    fuse = FUSE[0]
    for w, m, e in lobes:
        if R(w) <= lon < R(e):
            break
    if abs(phi) <= fuse:
        return el.a * (R(m) + (lon - R(m)) * cos(phi)), el.a * phi
    t = mollweide_theta(phi)
    shift = sqrt(mpf(2)) * sin(mollweide_theta(fuse)) - fuse
    return el.a * (R(m) + 2 * sqrt(mpf(2)) / pi * (lon - R(m)) * cos(t)), el.a * (sqrt(mpf(2)) * sin(t) - (shift if phi > 0 else -shift))


WORLD = [(lo, la) for la in ("-90", "-89.9", "-61.7", "-35", "-12.3", "0", "7", "40.5", "41", "66.6", "89") for lo in ("-179.5", "-95.2", "0", "33", "150")]
NO_POLE = [(lo, la) for lo, la in WORLD if la != "-90"]
DEFINITIONS = [
    ("Mercator_1SP", INTL, {"central_meridian": "110", "scale_factor": "0.997"}, mercator_a, NO_POLE),
    ("Mercator_2SP", CLARKE, {"central_meridian": "51", "standard_parallel_1": "42"}, mercator_b, NO_POLE),
    ("Mercator (variant C)", WGS, {"central_meridian": "51", "standard_parallel_1": "-42", "latitude_of_origin": "30"}, mercator_c, NO_POLE),
    ("Popular_Visualisation_Pseudo_Mercator", WGS, {"central_meridian": "0"}, pseudo, NO_POLE),
    ("Albers_Conic_Equal_Area", CLARKE, {"central_meridian": "-96", "latitude_of_center": "23", "standard_parallel_1": "29.5", "standard_parallel_2": "45.5"}, albers, WORLD),
    ("Albers_Conic_Equal_Area", WGS, {"central_meridian": "132", "latitude_of_center": "0", "standard_parallel_1": "-18", "standard_parallel_2": "-36"}, albers, WORLD),
    ("Lambert_Azimuthal_Equal_Area", WGS, {"central_meridian": "10", "latitude_of_center": "52"}, laea, WORLD),
    ("Lambert_Azimuthal_Equal_Area", INTL, {"central_meridian": "0", "latitude_of_center": "0"}, laea, WORLD),
    ("Lambert_Azimuthal_Equal_Area", WGS, {"central_meridian": "-40", "latitude_of_center": "-90"}, laea, WORLD),
    ("Polar_Stereographic", WGS, {"central_meridian": "0", "latitude_of_origin": "90", "scale_factor": "0.994"}, polar, NO_POLE),
    ("Polar_Stereographic", INTL, {"central_meridian": "70", "latitude_of_origin": "-71"}, polar, WORLD),
    ("Polar Stereographic (variant C)", INTL, {"central_meridian": "140", "latitude_of_origin": "-67"}, polar_c, WORLD),
    ("Oblique_Stereographic", INTL, {"central_meridian": "5.25", "latitude_of_origin": "52.5", "scale_factor": "0.9999"}, oblique_stereographic, NO_POLE),
    ("Hotine_Oblique_Mercator", CLARKE, {"central_meridian": "-133.5", "latitude_of_center": "57", "azimuth": "323.25", "scale_factor": "0.9999"}, hotine, None),
    ("Hotine_Oblique_Mercator_Azimuth_Center", INTL, {"central_meridian": "115", "latitude_of_center": "4", "azimuth": "53.25", "rectified_grid_angle": "53.125", "scale_factor": "0.99984"}, hotine_b, None),
    ("Hotine_Oblique_Mercator_Azimuth_Center", WGS, {"central_meridian": "7.5", "latitude_of_center": "47", "azimuth": "90", "scale_factor": "1"}, hotine_b, None),
    ("Laborde_Oblique_Mercator", INTL, {"central_meridian": "46.5", "latitude_of_center": "-18.875", "azimuth": "18.875", "scale_factor": "0.9995"}, laborde, None),
    ("Polyconic", CLARKE, {"central_meridian": "-96", "latitude_of_origin": "30"}, polyconic, None),
    ("Krovak", INTL, {"central_meridian": "24.75", "latitude_of_center": "49.5", "azimuth": "30.25", "pseudo_standard_parallel_1": "78.5", "scale_factor": "0.9999"}, krovak, None),
    ("New_Zealand_Map_Grid", INTL, {"central_meridian": "173", "latitude_of_origin": "-41"}, nzmg, None),
    ("Cylindrical_Equal_Area", WGS, {"central_meridian": "0", "standard_parallel_1": "30"}, cea, WORLD),
    ("Equidistant_Cylindrical", WGS, {"central_meridian": "-20", "standard_parallel_1": "40"}, equidistant_cylindrical, WORLD),
    ("Equidistant_Conic", CLARKE, {"central_meridian": "-96", "latitude_of_center": "23", "standard_parallel_1": "29.5", "standard_parallel_2": "45.5"}, equidistant_conic, WORLD),
    ("Bonne", CLARKE, {"central_meridian": "-75", "standard_parallel_1": "40"}, bonne, WORLD),
    ("Sinusoidal", WGS, {"central_meridian": "-90"}, sinusoidal, WORLD),
    ("Orthographic", WGS, {"central_meridian": "5", "latitude_of_center": "55"}, orthographic, None),
    ("Lambert_Conic_Near-Conformal", ("6378249.2", "293.46602"), {"central_meridian": "37.25", "latitude_of_origin": "34.625", "scale_factor": "0.9996256"}, near_conformal, None),
    ("Guam_Projection", CLARKE, {"central_meridian": "144.75", "latitude_of_origin": "13.5"}, guam, None),
    ("Equal_Earth", WGS, {"central_meridian": "0"}, equal_earth, WORLD),
    ("Natural_Earth", WGS, {"central_meridian": "0"}, natural_earth, WORLD),
    ("Mollweide", WGS, {"central_meridian": "0"}, mollweide, WORLD),
    ("Eckert_IV", WGS, {"central_meridian": "0"}, eckert4, WORLD),
    ("Eckert_VI", WGS, {"central_meridian": "0"}, eckert6, WORLD),
    ("Aitoff", WGS, {"central_meridian": "0"}, aitoff, NO_POLE),
    ("Hammer", WGS, {"central_meridian": "0"}, hammer, WORLD),
    ("Winkel_Tripel", WGS, {"central_meridian": "0"}, winkel, WORLD),
    ("Van_der_Grinten_I", WGS, {"central_meridian": "0"}, grinten, NO_POLE),
    ("Gall_Stereographic", WGS, {"central_meridian": "0"}, gall, WORLD),
    ("Miller_Cylindrical", WGS, {"central_meridian": "0"}, miller, WORLD),
    ("Robinson", WGS, {"central_meridian": "0"}, robinson, WORLD),
    ("Two_Point_Equidistant", WGS, {"central_meridian": "0", "longitude_of_point_1": "-100", "latitude_of_point_1": "35", "longitude_of_point_2": "15", "latitude_of_point_2": "50"}, two_point, NO_POLE),
    ("Goode_Homolosine", WGS, {"central_meridian": "0"}, goode, WORLD),
]

random.seed(20261125)
print("method;parameters\ta\trf\tlon\tlat\tx\ty")


def line(method, ellipsoid, params, lon, lat, x, y):
    text = ";".join([method] + [f"{k}={v}" for k, v in params.items()])
    print("\t".join([text, *ellipsoid, nstr(lon, 20), nstr(lat, 20), nstr(x, 22), nstr(y, 22)]))


for method, ellipsoid, params, f, points in DEFINITIONS:
    el = E(*ellipsoid)
    lon0 = mpf(params["central_meridian"])
    if points is None:
        lat0 = float(params.get("latitude_of_origin", params.get("latitude_of_center", "0")))
        reach = 2.9 if f is guam else 9 if f is nzmg else 8 if f in (near_conformal, krovak, laborde) else 25
        points = [(mp.nstr(mpf(float(lon0) + random.uniform(-reach, reach)), 9), mp.nstr(mpf(max(-89.0, min(89.0, lat0 + random.uniform(-reach, reach)))), 9)) for _ in range(23)]
        points.append((params["central_meridian"], str(lat0)))
    for lon, lat in points:
        phi = pi / 2 * (1 if float(lat) > 0 else -1) if abs(float(lat)) == 90 else R(lat)
        out = f(el, params, wrap(R(lon) - radians(lon0)), phi)
        if out is not None:
            line(method, ellipsoid, params, mpf(lon), mpf(lat), *out)

# Methods by geodesics: points by azimuth and arc, so that the reference needs no inverse problem.
mp.dps = 90
for method, lat0 in [("Azimuthal_Equidistant", "40"), ("Azimuthal_Equidistant", "90"), ("Azimuthal_Equidistant", "-7.5"), ("Gnomonic", "40"), ("Gnomonic", "-62")]:
    el = E(*INTL)
    params = {"central_meridian": "-100", "latitude_of_center": lat0}
    for az in ("3", "77", "-60", "178", "-91"):
        for arc in ("0.01", "5", "40", "85", "120", "170"):
            if method == "Gnomonic" and int(float(arc)) > 85:
                continue
            s, lam, lat, _, m12, big = geodesic(el, R(lat0) if lat0 != "90" else pi / 2 - mpf(10) ** -35, R(az), R(arc))
            if R(az) < 0:
                _, lam, lat, _, m12, big = geodesic(el, R(lat0), -R(az), R(arc)) if lat0 != "90" else geodesic(el, pi / 2 - mpf(10) ** -35, -R(az), R(arc))
                lam = -lam
            r = s if method.startswith("Azi") else m12 / big
            line(method, INTL, params, degrees(wrap(lam)) + mpf(-100), degrees(lat), r * sin(R(az)), r * cos(R(az)))
for method in ("Cassini_Soldner", "Hyperbolic_Cassini_Soldner"):
    el = E(*CLARKE)
    params = {"central_meridian": "-61", "latitude_of_origin": "10.5"}
    for foot in ("-5", "2", "10.5", "17", "24") if method.startswith("H") else ("-60", "-5", "10.5", "45", "75"):
        for sigma in ("0.001", "1", "5", "-12", "30"):
            lam, lat, x, y = cassini_from_foot(el, params, R(foot), abs(R(sigma)))
            if sigma[0] == "-":
                lam, x = -lam, -x
            if method.startswith("H"):
                y = y - y ** 3 / (6 * el.rho(lat) * el.nu(lat))
            line(method, CLARKE, params, degrees(lam) - 61, degrees(lat), x, y)

# The Tunisian mining grid is a table of a decree: 2 km are 0.02437 grad of longitude, from 5.68989 grad at 94 km, and
# 0.02004 grad of latitude up to 360 km, then 0.02003, from 33.39 grad at 40 km. Here it is walked from its south-western
# corner, which is not how it is usually computed.
for east in ("94", "100", "270", "300.5", "490"):
    for north in ("40", "111", "360", "361", "598", "860"):
        lon = mpf("5.68989") + (mpf(east) - 94) / 2 * mpf("0.02437")
        low = min(mpf(north), mpf(360))
        lat = mpf("33.39") + (low - 40) / 2 * mpf("0.02004") + (mpf(north) - low) / 2 * mpf("0.02003")
        line("Tunisia_Mining_Grid", ("6378249.2", "293.4660212936265"), {"central_meridian": "7.051005"}, lon * mpf("0.9"), lat * mpf("0.9"), mpf(east) * 1000, mpf(north) * 1000)
