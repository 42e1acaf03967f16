"""Local changes of a triangle mesh in place: split, collapse and flip edges. For ``even_triangles``.

A mesh is kept as half-edges without objects: half-edge h = 3t + k of triangle
t runs from V[h] to V[next(h)]; twin[h] is its opposite, -1 on a rim; out[v]
is some half-edge that leaves v. A dropped triangle has V = -1.
"""

import numpy as np
from numba import njit

RING = 96
"""Room for the half-edges round a point; points with more are left alone."""

SMOOTH, LINE, CORNER = 0, 1, 2


@njit(cache=True, nogil=True, error_model="numpy")
def following(h):  # type: ignore[no-untyped-def]
    """The next half-edge of the same triangle."""
    return h - 2 if h % 3 == 2 else h + 1


@njit(cache=True, nogil=True, error_model="numpy")
def preceding(h):  # type: ignore[no-untyped-def]
    """The half-edge before it in the same triangle."""
    return h + 2 if h % 3 == 0 else h - 1


@njit(cache=True, nogil=True, error_model="numpy")
def pair_up(order, low, high, twin):  # type: ignore[no-untyped-def]
    """Fill ``twin`` from half-edges sorted by their ends; edges of more than two stay open."""
    twin[:] = -1
    i = 0
    n = len(order)
    while i < n:
        j = i + 1
        while j < n and low[order[j]] == low[order[i]] and high[order[j]] == high[order[i]]:
            j += 1
        if j == i + 2:
            twin[order[i]] = order[i + 1]
            twin[order[i + 1]] = order[i]
        i = j


@njit(cache=True, nogil=True, error_model="numpy")
def ring_of(V, twin, out, v, ring):  # type: ignore[no-untyped-def]
    """Half-edges that leave v, counter-clockwise; their number (-1: no room) and whether v lies on a rim."""
    start = out[v]
    h = start
    count = 0
    while True:
        if count == RING:
            return -1, False
        ring[count] = h
        count += 1
        h = twin[preceding(h)]
        if h < 0:
            break
        if h == start:
            return count, False
    # a rim: go the other way from the start too
    h = start
    while twin[h] >= 0:
        h = following(twin[h])
        if count == RING:
            return -1, True
        for i in range(count, 0, -1):
            ring[i] = ring[i - 1]
        ring[0] = h
        count += 1
    return count, True


@njit(cache=True, nogil=True, error_model="numpy")
def _neighbours(V, ring, count, rim, points):  # type: ignore[no-untyped-def]
    """Points round a centre; their number."""
    for i in range(count):
        points[i] = V[following(ring[i])]
    if rim:
        points[count] = V[preceding(ring[count - 1])]
        return count + 1
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _length2(P, a, b):  # type: ignore[no-untyped-def]
    x, y, z = P[a, 0] - P[b, 0], P[a, 1] - P[b, 1], P[a, 2] - P[b, 2]
    return x * x + y * y + z * z


@njit(cache=True, nogil=True, error_model="numpy")
def _link(twin, a, b):  # type: ignore[no-untyped-def]
    if a >= 0:
        twin[a] = b
    if b >= 0:
        twin[b] = a


@njit(cache=True, nogil=True, error_model="numpy")
def split_edge(V, twin, out, sharp, h, m, t, s):  # type: ignore[no-untyped-def]
    """Put point m into edge h; triangles t and s are free for the new halves (s unused on a rim)."""
    hn, hp = following(h), preceding(h)
    b, c = V[hn], V[preceding(h)]
    outer, outer_sharp = twin[hn], sharp[hn]
    g = twin[h]
    h1 = 3 * t
    V[hn] = m
    V[h1], V[h1 + 1], V[h1 + 2] = m, b, c
    _link(twin, h1 + 1, outer)
    _link(twin, hn, h1 + 2)
    sharp[h1], sharp[h1 + 1], sharp[h1 + 2] = sharp[h], outer_sharp, False
    sharp[hn] = False
    out[m] = hn
    out[b] = h1 + 1
    out[c] = hp
    if g < 0:
        twin[h1] = -1
        return
    gp = preceding(g)
    d = V[gp]
    outer, outer_sharp = twin[gp], sharp[gp]
    k = 3 * s
    V[g] = m
    V[k], V[k + 1], V[k + 2] = b, m, d
    _link(twin, k + 2, outer)
    _link(twin, gp, k + 1)
    _link(twin, h1, k)
    sharp[k], sharp[k + 1], sharp[k + 2] = sharp[g], False, outer_sharp
    sharp[gp] = False
    out[d] = gp


@njit(cache=True, nogil=True, error_model="numpy")
def split_long(P, V, twin, out, sharp, kind, used, longest):  # type: ignore[no-untyped-def]
    """Halve all edges longer than a length. used: points and triangles in use; returns the new numbers, -1 if full."""
    points, triangles = used
    limit = longest * longest
    t = 0
    while t < triangles:
        if V[3 * t] < 0:
            t += 1
            continue
        best = limit
        h = -1
        for k in range(3):
            length = _length2(P, V[3 * t + k], V[following(3 * t + k)])
            if length > best:
                best = length
                h = 3 * t + k
        if h < 0:
            t += 1
            continue
        if points + 1 > len(P) or triangles + 2 > len(V) // 3:
            return -1, -1
        a, b = V[h], V[following(h)]
        for c in range(3):
            P[points, c] = 0.5 * (P[a, c] + P[b, c])
        kind[points] = LINE if sharp[h] or twin[h] < 0 else SMOOTH
        rim = twin[h] < 0
        split_edge(V, twin, out, sharp, h, points, triangles, triangles + 1)
        points += 1
        triangles += 1 if rim else 2
        # its pieces may still be too long: look at the same triangle again
    return points, triangles


@njit(cache=True, nogil=True, error_model="numpy")
def _normal(P, a, b, c):  # type: ignore[no-untyped-def]
    ux, uy, uz = P[b, 0] - P[a, 0], P[b, 1] - P[a, 1], P[b, 2] - P[a, 2]
    vx, vy, vz = P[c, 0] - P[a, 0], P[c, 1] - P[a, 1], P[c, 2] - P[a, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@njit(cache=True, nogil=True, error_model="numpy")
def _may_collapse(P, V, twin, out, kind, h, limit, place, ring_a, ring_b, near_a, near_b):  # type: ignore[no-untyped-def]
    """True when dropping the start of h keeps the mesh sound and no edge longer than the limit arises."""
    a, b = V[h], V[following(h)]
    count_a, rim_a = ring_of(V, twin, out, a, ring_a)
    count_b, rim_b = ring_of(V, twin, out, b, ring_b)
    if count_a < 0 or count_b < 0 or (rim_a and rim_b and twin[h] >= 0):
        return False
    n_a = _neighbours(V, ring_a, count_a, rim_a, near_a)
    n_b = _neighbours(V, ring_b, count_b, rim_b, near_b)
    common = 0
    for i in range(n_a):
        for j in range(n_b):
            if near_a[i] == near_b[j]:
                common += 1
    if common != (1 if twin[h] < 0 else 2):
        return False
    # the points across must keep at least three neighbours
    for g in (h, twin[h]):
        if g >= 0:
            c = V[preceding(g)]
            count, rim = ring_of(V, twin, out, c, ring_b)
            if count < 0 or count < (2 if rim else 4):
                return False
    for i in range(n_a):
        c = near_a[i]
        if c != b:
            x, y, z = P[c, 0] - place[0], P[c, 1] - place[1], P[c, 2] - place[2]
            if x * x + y * y + z * z > limit:
                return False
    return _stays_upright(P, V, out, twin, a, b, place, ring_a, count_a) and _moves_upright(
        P, V, twin, out, b, a, place, ring_b
    )


@njit(cache=True, nogil=True, error_model="numpy")
def _moves_upright(P, V, twin, out, b, a, place, ring_b):  # type: ignore[no-untyped-def]
    count, _ = ring_of(V, twin, out, b, ring_b)
    return count > 0 and _stays_upright(P, V, out, twin, b, a, place, ring_b, count)


@njit(cache=True, nogil=True, error_model="numpy")
def _stays_upright(P, V, out, twin, a, b, place, ring, count):  # type: ignore[no-untyped-def]
    """True when no triangle at a (but those with b) turns far or becomes flat when a moves to ``place``."""
    for i in range(count):
        c, d = V[following(ring[i])], V[preceding(ring[i])]
        if c == b or d == b:
            continue
        nx, ny, nz = _normal(P, a, c, d)
        ux, uy, uz = P[c, 0] - place[0], P[c, 1] - place[1], P[c, 2] - place[2]
        vx, vy, vz = P[d, 0] - place[0], P[d, 1] - place[1], P[d, 2] - place[2]
        mx, my, mz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        dot = nx * mx + ny * my + nz * mz
        old, new = nx * nx + ny * ny + nz * nz, mx * mx + my * my + mz * mz
        if dot <= 0.0 or dot * dot < 0.25 * old * new:
            return False
        # no needles: height against the longest side
        side = max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz)
        if new < 0.01 * side * side and new < old:
            return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def collapse_edge(V, twin, out, sharp, h, ring):  # type: ignore[no-untyped-def]
    """Drop the start of h into its end, with the triangles beside h."""
    a, b = V[h], V[following(h)]
    g = twin[h]
    count, _ = ring_of(V, twin, out, a, ring)
    for i in range(count):
        V[ring[i]] = b
    for side in range(2):
        e = h if side == 0 else g
        if e < 0:
            continue
        one, two = following(e), preceding(e)
        # of the two other edges of the triangle, both now between b and c, the outer halves become twins
        c = V[two]
        x, y = twin[one], twin[two]
        joined = sharp[one] or sharp[two]
        _link(twin, x, y)
        for f in (x, y):
            if f >= 0:
                sharp[f] = joined
                out[V[f]] = f
                out[V[following(f)]] = following(f)
        V[e] = V[one] = V[two] = -1
        twin[e] = twin[one] = twin[two] = -1
        if x < 0 and y < 0:
            out[c] = -1
    out[a] = -1


@njit(cache=True, nogil=True, error_model="numpy")
def collapse_short(P, V, twin, out, sharp, kind, triangles, shortest, longest):  # type: ignore[no-untyped-def]
    """Drop edges shorter than ``shortest``, as long as none longer than ``longest`` arises; returns how many."""
    ring_a, ring_b = np.empty(RING + 1, dtype=np.int64), np.empty(RING + 1, dtype=np.int64)
    near_a, near_b = np.empty(RING + 1, dtype=np.int64), np.empty(RING + 1, dtype=np.int64)
    place = np.empty(3)
    done = 0
    for e in range(3 * triangles):
        if V[e] < 0 or (twin[e] >= 0 and twin[e] < e):
            continue
        a, b = V[e], V[following(e)]
        if _length2(P, a, b) > shortest * shortest:
            continue
        h = e
        if kind[a] > kind[b]:
            if twin[e] < 0:
                continue
            h = twin[e]
            a, b = b, a
        if kind[a] == CORNER:
            continue
        if kind[a] == LINE and not (sharp[h] or twin[h] < 0):
            continue
        middle = 0.5 if kind[a] == kind[b] else 0.0
        for c in range(3):
            place[c] = middle * P[a, c] + (1.0 - middle) * P[b, c]
        if not _may_collapse(P, V, twin, out, kind, h, longest * longest, place, ring_a, ring_b, near_a, near_b):
            continue
        collapse_edge(V, twin, out, sharp, h, ring_a)
        for c in range(3):
            P[b, c] = place[c]
        done += 1
    return done


@njit(cache=True, nogil=True, error_model="numpy")
def _off(count, rim):  # type: ignore[no-untyped-def]
    """How far a point is from the regular number of neighbours, squared."""
    away = count + 1 - 4 if rim else count - 6
    return away * away


@njit(cache=True, nogil=True, error_model="numpy")
def flip_for_valence(P, V, twin, out, sharp, triangles):  # type: ignore[no-untyped-def]
    """Flip edges that bring points nearer to six neighbours; returns how many."""
    ring, near = np.empty(RING + 1, dtype=np.int64), np.empty(RING + 1, dtype=np.int64)
    done = 0
    for h in range(3 * triangles):
        g = twin[h]
        if V[h] < 0 or g < h or sharp[h]:
            continue
        a, b, c, d = V[h], V[g], V[preceding(h)], V[preceding(g)]
        count_c, rim_c = ring_of(V, twin, out, c, ring)
        joined = False
        n = _neighbours(V, ring, count_c, rim_c, near) if count_c > 0 else 0
        for i in range(n):
            joined = joined or near[i] == d
        count_a, rim_a = ring_of(V, twin, out, a, ring)
        count_b, rim_b = ring_of(V, twin, out, b, ring)
        count_d, rim_d = ring_of(V, twin, out, d, ring)
        if joined or min(count_a, count_b, count_c, count_d) < 0 or min(count_a, count_b) < 4:
            continue
        before = _off(count_a, rim_a) + _off(count_b, rim_b) + _off(count_c, rim_c) + _off(count_d, rim_d)
        after = (
            _off(count_a - 1, rim_a) + _off(count_b - 1, rim_b) + _off(count_c + 1, rim_c) + _off(count_d + 1, rim_d)
        )
        if after >= before or not _flip_is_fair(P, a, b, c, d):
            continue
        flip_edge(V, twin, out, sharp, h)
        done += 1
    return done


@njit(cache=True, nogil=True, error_model="numpy")
def _height2(P, a, b, c):  # type: ignore[no-untyped-def]
    """Squared height of c over the edge from a to b."""
    x, y, z = _normal(P, a, b, c)
    return (x * x + y * y + z * z) / max(_length2(P, a, b), 1e-300)


@njit(cache=True, nogil=True, error_model="numpy")
def flip_flat(P, V, twin, out, sharp, triangles, least):  # type: ignore[no-untyped-def]
    """Flip the longest edge of triangles lower than ``least`` where that makes both higher; returns how many."""
    ring, near = np.empty(RING + 1, dtype=np.int64), np.empty(RING + 1, dtype=np.int64)
    done = 0
    for t in range(triangles):
        if V[3 * t] < 0:
            continue
        h = 3 * t
        for k in range(1, 3):
            e = 3 * t + k
            if _length2(P, V[e], V[following(e)]) > _length2(P, V[h], V[following(h)]):
                h = e
        g = twin[h]
        if g < 0:
            continue
        a, b, c, d = V[h], V[g], V[preceding(h)], V[preceding(g)]
        low = _height2(P, a, b, c)
        if low > least * least:
            continue
        count, rim = ring_of(V, twin, out, c, ring)
        joined = count < 0
        n = _neighbours(V, ring, count, rim, near) if count > 0 else 0
        for i in range(n):
            joined = joined or near[i] == d
        if joined or min(_height2(P, c, d, a), _height2(P, c, d, b)) <= low:
            continue
        # a flat triangle on a sharp edge: the edge runs on along its two short sides
        along = sharp[h]
        flip_edge(V, twin, out, sharp, h)
        if along:
            for e in (following(h), preceding(h), following(g), preceding(g)):
                if (V[e] == c or V[following(e)] == c) and V[e] != d and V[following(e)] != d:
                    sharp[e] = True
                    if twin[e] >= 0:
                        sharp[twin[e]] = True
            sharp[h] = sharp[g] = False
        done += 1
    return done


@njit(cache=True, nogil=True, error_model="numpy")
def _flip_is_fair(P, a, b, c, d):  # type: ignore[no-untyped-def]
    """True when the two new triangles look about the way the old ones look."""
    ox, oy, oz = _normal(P, a, b, c)
    qx, qy, qz = _normal(P, b, a, d)
    ox, oy, oz = ox + qx, oy + qy, oz + qz
    old = ox * ox + oy * oy + oz * oz
    for first, second, third in ((a, d, c), (d, b, c)):
        x, y, z = _normal(P, first, second, third)
        dot = x * ox + y * oy + z * oz
        if dot <= 0.0 or dot * dot < 0.6 * old * (x * x + y * y + z * z):
            return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def flip_edge(V, twin, out, sharp, h):  # type: ignore[no-untyped-def]
    """Let the edge of two triangles run between the two points across from it."""
    g = twin[h]
    hn, hp, gn, gp = following(h), preceding(h), following(g), preceding(g)
    a, b, c, d = V[h], V[g], V[hp], V[gp]
    to_bc, to_ca, to_ad, to_db = twin[hn], twin[hp], twin[gn], twin[gp]
    s_bc, s_ca, s_ad, s_db = sharp[hn], sharp[hp], sharp[gn], sharp[gp]
    V[h], V[hn], V[hp] = d, c, a
    V[g], V[gn], V[gp] = c, d, b
    for e, other, flag in ((hn, to_ca, s_ca), (hp, to_ad, s_ad), (gn, to_db, s_db), (gp, to_bc, s_bc)):
        twin[e] = -1
        _link(twin, e, other)
        sharp[e] = flag
    out[a], out[b], out[c], out[d] = hp, gp, hn, gn


@njit(cache=True, nogil=True, error_model="numpy")
def smooth_along(P, V, twin, out, sharp, kind, points, moved):  # type: ignore[no-untyped-def]
    """Each free point towards the middle of its neighbours, within its tangent plane or along its line."""
    ring, near = np.empty(RING + 1, dtype=np.int64), np.empty(RING + 1, dtype=np.int64)
    for v in range(points):
        for c in range(3):
            moved[v, c] = P[v, c]
        if out[v] < 0 or kind[v] == CORNER:
            continue
        count, rim = ring_of(V, twin, out, v, ring)
        if count < 0:
            continue
        if kind[v] == LINE:
            _smooth_on_line(P, V, twin, sharp, ring, count, rim, v, moved)
            continue
        n = _neighbours(V, ring, count, rim, near)
        x = y = z = total = nx = ny = nz = 0.0
        for i in range(count):
            px, py, pz = _normal(P, v, V[following(ring[i])], V[preceding(ring[i])])
            nx, ny, nz = nx + px, ny + py, nz + pz
            area = np.sqrt(px * px + py * py + pz * pz)
            one, two = V[following(ring[i])], V[preceding(ring[i])]
            # middles of the triangles, weighted by area, even the triangles out
            x += area * (P[v, 0] + P[one, 0] + P[two, 0]) / 3.0
            y += area * (P[v, 1] + P[one, 1] + P[two, 1]) / 3.0
            z += area * (P[v, 2] + P[one, 2] + P[two, 2]) / 3.0
            total += area
        length = nx * nx + ny * ny + nz * nz
        if n < 3 or length <= 0.0 or total <= 0.0:
            continue
        x, y, z = x / total - P[v, 0], y / total - P[v, 1], z / total - P[v, 2]
        along = (x * nx + y * ny + z * nz) / length
        moved[v, 0] += x - along * nx
        moved[v, 1] += y - along * ny
        moved[v, 2] += z - along * nz
    for v in range(points):
        for c in range(3):
            P[v, c] = moved[v, c]


@njit(cache=True, nogil=True, error_model="numpy")
def _smooth_on_line(P, V, twin, sharp, ring, count, rim, v, moved):  # type: ignore[no-untyped-def]
    """A point of a sharp line or rim towards the middle of its two neighbours on it, along the line only."""
    ends = np.empty(2, dtype=np.int64)
    found = 0
    for i in range(count):
        h = ring[i]
        if (sharp[h] or twin[h] < 0) and found < 2:
            ends[found] = V[following(h)]
            found += 1
    if rim and found < 2:
        ends[found] = V[preceding(ring[count - 1])]
        found += 1
    if found < 2:
        return
    a, b = ends[0], ends[1]
    tx, ty, tz = P[b, 0] - P[a, 0], P[b, 1] - P[a, 1], P[b, 2] - P[a, 2]
    length = tx * tx + ty * ty + tz * tz
    if length <= 0.0:
        return
    x = 0.5 * (P[a, 0] + P[b, 0]) - P[v, 0]
    y = 0.5 * (P[a, 1] + P[b, 1]) - P[v, 1]
    z = 0.5 * (P[a, 2] + P[b, 2]) - P[v, 2]
    along = 0.5 * (x * tx + y * ty + z * tz) / length
    moved[v, 0] += along * tx
    moved[v, 1] += along * ty
    moved[v, 2] += along * tz
