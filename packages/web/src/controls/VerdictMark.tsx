import type { Verdict } from '@pannet/core/measurement/fold';

/** A shape and a word each, so that no verdict is told by hue alone. */
export function VerdictMark({
  verdict,
  size = 14,
}: {
  readonly verdict: Verdict | null;
  readonly size?: number;
}) {
  const title = verdict === null ? 'not measured yet' : `fold ${verdict}`;
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" role="img" aria-label={title}>
      <title>{title}</title>
      {verdict === null && <circle cx="7" cy="7" r="1.5" fill="var(--edge)" />}
      {verdict === 'holds' && (
        <circle cx="7" cy="7" r="5" fill="none" stroke="var(--ink)" strokeWidth="2" />
      )}
      {verdict === 'watch' && (
        <path d="M7 2 12.5 12h-11z" fill="none" stroke="var(--ink)" strokeWidth="2" />
      )}
      {verdict === 'breaks' && (
        <path d="M2 2 12 12M12 2 2 12" stroke="var(--breaks)" strokeWidth="3" />
      )}
    </svg>
  );
}
