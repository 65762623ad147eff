/** Why a run is interrupted: a signal, or a closed output. */
export type InterruptCause = 'SIGINT' | 'SIGTERM' | 'SIGHUP' | 'SIGPIPE';

/** Signals that interrupt a run. SIGPIPE is not among them: the runtime reports a closed output as an error of the stream. */
export const interruptSignals = ['SIGINT', 'SIGTERM', 'SIGHUP'] as const;

/** 128 plus the number of the signal, as shells report it. */
const statuses: Readonly<Record<InterruptCause, number>> = { SIGHUP: 129, SIGINT: 130, SIGPIPE: 141, SIGTERM: 143 };

export const getInterruptStatus = (cause: InterruptCause): number => statuses[cause];

/** Whether an exit status is that of an interrupted run. */
export const isInterruptStatus = (status: number | undefined): boolean => Object.values(statuses).includes(status ?? 0);

/** Whether a run was interrupted, and how to interrupt it. */
export interface Interruption {
  by: InterruptCause | undefined;
  onInterrupt?: () => void;
}

export function interrupt(interruption: Interruption, cause: InterruptCause): void {
  interruption.by = cause;
  interruption.onInterrupt?.();
}
