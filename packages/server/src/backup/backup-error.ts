/** A backup that cannot be written or read: a sentence for the engineer, shown without a stack. */
export class BackupError extends Error {}
