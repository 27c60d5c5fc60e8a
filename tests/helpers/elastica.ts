/**
 * Reference integrator for the heavy elastica: a rod clamped level, loaded by q per length, β = qL³/EI. With σ = s/L from
 * the tip, θ(σ) the angle below level: θ″ = −β σ cos θ, θ′(0) = 0, θ(1) = 0. Classical Runge–Kutta, shooting on the angle at
 * the tip (shooting on the root's curvature finds coiled solutions first). It imports no solver.
 * Source: Euler's elastica with distributed load, *from memory*.
 */
export function heavyElastica(beta: number): { x: number; y: number; tipAngle: number; rootCurvature: number } {
  const steps = 8000, h = 1 / steps;
  const integrate = (tip: number): { x: number; y: number; root: number; slope: number } => {
    let th = tip, k = 0, x = 0, y = 0;
    const f = (s: number, a: number): number => -beta * s * Math.cos(a);
    for (let i = 0; i < steps; i++) {
      const s = i * h;
      const k1 = f(s, th), t1 = k;
      const k2 = f(s + h / 2, th + (h / 2) * t1), t2 = k + (h / 2) * k1;
      const k3 = f(s + h / 2, th + (h / 2) * t2), t3 = k + (h / 2) * k2;
      const k4 = f(s + h, th + h * t3), t4 = k + h * k3;
      const next = th + (h / 6) * (t1 + 2 * t2 + 2 * t3 + t4), mid = th + (h / 2) * t1 + (h * h / 8) * k1;
      x += (h / 6) * (Math.cos(th) + 4 * Math.cos(mid) + Math.cos(next));
      y += (h / 6) * (Math.sin(th) + 4 * Math.sin(mid) + Math.sin(next));
      th = next;
      k += (h / 6) * (k1 + 2 * k2 + 2 * k3 + k4);
    }
    return { x, y, root: th, slope: -k };
  };
  let low = 0, high = Math.PI / 2;
  for (let i = 0; i < 80; i++) {
    const mid = (low + high) / 2;
    if (integrate(mid).root < 0) low = mid;
    else high = mid;
  }
  const r = integrate((low + high) / 2);
  return { x: r.x, y: r.y, tipAngle: (low + high) / 2, rootCurvature: r.slope };
}
