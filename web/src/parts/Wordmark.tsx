export function Wordmark({ small = false }: { small?: boolean }) {
  const size = small ? 20 : 34;
  return (
    <span className="inline-flex items-center gap-2.5">
      <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
        <rect
          x="2"
          y="2"
          width="28"
          height="28"
          fill="none"
          stroke="currentColor"
          strokeWidth="2"
        />
        <path
          d="M7 25 25 7M7 17 17 7M15 25l10-10"
          stroke="var(--color-verdigris)"
          strokeWidth="2"
          fill="none"
        />
      </svg>
      <span className={`heading ${small ? "text-[19px]" : "text-[32px]"} leading-none`}>
        Intaglio
      </span>
    </span>
  );
}
