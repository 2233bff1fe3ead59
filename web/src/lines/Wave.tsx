/** A small picture of a recording's loudness. */
export function Wave({ wave, width = 104 }: { wave: number[]; width?: number }) {
  const loudest = Math.max(0.05, ...wave);
  const step = width / wave.length;
  return (
    <svg width={width} height={24} viewBox={`0 0 ${width} 24`} preserveAspectRatio="none" aria-hidden="true">
      {wave.map((value, i) => {
        const height = Math.max(1, (value / loudest) * 22);
        return (
          <rect
            key={i}
            x={i * step}
            y={12 - height / 2}
            width={step * 0.6}
            height={height}
            fill="var(--voice)"
          />
        );
      })}
    </svg>
  );
}
