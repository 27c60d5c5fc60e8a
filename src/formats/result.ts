/** Outcome of reading bytes that came from outside. */
export type FormatErrorType = 'notThisFormat' | 'truncated' | 'versionTooNew' | 'unsupported' | 'invalid';

export interface FormatError {
  type: FormatErrorType;
  /** What is wrong and what to do, in a sentence or two a person reads. */
  message: string;
  /** Byte offset or path in the file. */
  where?: string;
}

export type Result<T> = { ok: true; value: T; warnings: string[] } | { ok: false; error: FormatError };

export const failure = (type: FormatErrorType, message: string, where?: string): { ok: false; error: FormatError } => ({ ok: false, error: { type, message, where } });
