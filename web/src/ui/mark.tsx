/** One turn of a coil closing into a level line. */
export function Mark({ size = 22 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" fill="none" aria-hidden="true">
      <path
        d="M2 17 H9 C16 17 17 5 11.5 5 C6 5 7 17 14 17 H22"
        stroke="var(--copper)"
        strokeWidth="2.4"
        strokeLinecap="round"
      />
    </svg>
  );
}
