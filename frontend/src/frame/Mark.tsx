/** The mark: an inkwell whose ink lies in grooves. */
export function Mark({ size = 26 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
      <path
        d="M8 12h16l2.200 14a2.600 2.600 0 0 1-2.600 3H8.400a2.600 2.600 0 0 1-2.600-3z"
        fill="var(--color-base-content)"
      />
      <path d="M11 4h10v6H11z" fill="var(--color-error)" />
      <g fill="none" stroke="var(--color-base-200)" strokeLinecap="round">
        <path d="M9.500 18.500q3-3 6.500 0t6.500 0" strokeWidth="1.700" />
        <path d="M9 22.500q3.500-2.600 7 0t7 0" strokeWidth="1.300" />
        <path d="M8.600 26q3.700-2 7.400 0t7.400 0" strokeWidth="0.900" />
      </g>
    </svg>
  );
}
