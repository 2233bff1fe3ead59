/** A small picture of a recording's loudness. */
export function Wave({ wave, width = 104 }: { wave: number[]; width?: number }) {
  const loudest = Math.max(0.05, ...wave);
  const step = width / wave.length;
  // One path: a list has hundreds of these pictures.
  const bars = wave.map((value, i) => {
    const height = Math.max(1, (value / loudest) * 22);
    return `M${((i + 0.3) * step).toFixed(1)} ${(12 - height / 2).toFixed(1)}v${height.toFixed(1)}`;
  });
  return (
    <svg width={width} height={24} viewBox={`0 0 ${width} 24`} preserveAspectRatio="none" aria-hidden="true">
      <path d={bars.join('')} stroke="var(--voice)" strokeWidth={step * 0.6} />
    </svg>
  );
}
