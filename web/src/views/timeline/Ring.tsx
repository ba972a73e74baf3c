import { ringPoints } from './circle';

const size = 92;

/** The routers of a forwarding loop, drawn as a ring. */
export function Ring({ devices }: { devices: string[] }) {
  const points = ringPoints(devices.length, size / 2, size * 0.3);
  return (
    <svg width={size + 60} height={size} role="img" aria-label={`loop of ${devices.join(', ')}`}>
      <defs>
        <marker
          id="ring-tip"
          viewBox="0 0 8 8"
          refX="7"
          refY="4"
          markerWidth="6"
          markerHeight="6"
          orient="auto"
        >
          <path d="M0 0 L8 4 L0 8 z" fill="var(--chakra-colors-brick)" />
        </marker>
      </defs>
      <g transform="translate(30 0)">
        {points.map((p, i) => {
          const q = points[(i + 1) % points.length] ?? p;
          // Bent, so that there and back are two lines.
          const bend = 10;
          const mx = (p.x + q.x) / 2 + ((q.y - p.y) / size) * bend * 2;
          const my = (p.y + q.y) / 2 - ((q.x - p.x) / size) * bend * 2;
          return (
            <path
              key={i}
              d={`M${p.x} ${p.y} Q${mx} ${my} ${q.x} ${q.y}`}
              fill="none"
              stroke="var(--chakra-colors-brick)"
              strokeWidth="1.5"
              strokeDasharray="4 3"
              markerEnd="url(#ring-tip)"
            />
          );
        })}
        {points.map((p, i) => (
          <g key={devices[i]}>
            <circle cx={p.x} cy={p.y} r="4" fill="var(--chakra-colors-ink)" />
            <text
              x={p.x}
              y={p.y < size / 2 ? p.y - 8 : p.y + 15}
              textAnchor="middle"
              fontSize="11"
              fill="var(--chakra-colors-ink)"
            >
              {devices[i]}
            </text>
          </g>
        ))}
      </g>
    </svg>
  );
}
