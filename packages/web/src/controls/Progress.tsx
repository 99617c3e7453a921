interface Props {
  /** 0 to 1. */
  readonly share: number;
  readonly label: string;
  readonly className?: string;
  readonly height?: number;
}

/** How far a long task has come; Bootstrap's bar, with its name where readers of screens look for it. */
export function Progress({ share, label, className = '', height }: Props) {
  const percent = Math.round(100 * share);
  return (
    <div
      className={`progress ${className}`}
      role="progressbar"
      aria-label={label}
      aria-valuenow={percent}
      aria-valuemin={0}
      aria-valuemax={100}
      style={{ height }}
    >
      <div className="progress-bar w-100" style={{ transform: `scaleX(${share})` }} />
    </div>
  );
}
