// The tooth that an arrow key leads to: along the arch, or to the one opposite.
export function neighbor(teeth, from, key) {
  const at = teeth.indexOf(from);
  if (at === -1) return teeth[0];
  const half = teeth.length / 2;
  const upper = at < half;
  const to = { ArrowRight: upper ? at + 1 : at - 1, ArrowLeft: upper ? at - 1 : at + 1 }[key];
  if (to === undefined) return teeth[teeth.length - 1 - at];
  return teeth[Math.min(upper ? half - 1 : teeth.length - 1, Math.max(upper ? 0 : half, to))];
}
