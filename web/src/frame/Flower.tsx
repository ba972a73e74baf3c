/** The mark: five sepals, as on the plant. */
export function Flower({ size = 22 }: { size?: number }) {
  const petals = [0, 72, 144, 216, 288];
  return (
    <svg width={size} height={size} viewBox="-12 -12 24 24" aria-hidden="true">
      {petals.map((a) => (
        <ellipse
          key={a}
          rx="4.4"
          ry="5.2"
          cy="-5.6"
          transform={`rotate(${a})`}
          fill="var(--chakra-colors-plum)"
        />
      ))}
      <circle r="3.1" fill="var(--chakra-colors-leaf-soft)" />
    </svg>
  );
}
