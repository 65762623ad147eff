import { findInvalidOptions, isText, listOf, literalFalse, milliseconds, type OptionSpecs, oneOfSpecs, recordOf, text } from '../problems/option-specs.ts';
import type { Problem } from '../problems/problem.ts';

/** Tags, skips and known failures of a folder, a suite, a test or a row. */
export interface Annotations {
  tags?: readonly string[] | undefined;
  /** The reason for not running it. With `until` (ISO date, UTC), it fails from that day on. `false` cancels an outer skip. */
  skip?: false | string | { reason: string; until: string } | undefined;
  /** The reason for running it only if it is selected by id, line or tag. */
  onRequest?: string | undefined;
  /** The reason for an expected failure: failing is excused, passing fails. With `until` (ISO date, UTC), failing counts from that day on. */
  knownFailure?: string | { reason: string; until: string } | undefined;
}

/** Annotations of one row. */
export interface RowAnnotations extends Annotations {
  timeout?: number | undefined;
  locks?: readonly string[] | undefined;
}

const reason = oneOfSpecs('reason, as a string', text, recordOf('a reason', isText));
/** The expected types of annotations. */
export const annotationSpecs: OptionSpecs<Annotations> = {
  tags: listOf('strings', isText),
  skip: oneOfSpecs(reason.expected, reason, literalFalse),
  onRequest: { ...text, expected: reason.expected },
  knownFailure: reason,
};
/** The same for annotations of a row. */
export const rowAnnotationSpecs: OptionSpecs<RowAnnotations> = { ...annotationSpecs, timeout: milliseconds, locks: listOf('strings', isText) };

/** Merges annotations with those around them: tags and locks add up; other inner annotations win. */
export function mergeAnnotations<Outer extends RowAnnotations>(outer: Outer, inner: RowAnnotations): Outer {
  const stated = Object.fromEntries(Object.entries(inner).filter(([, value]) => value !== undefined)) as RowAnnotations;
  const merged = { ...outer, ...stated };
  if (outer.tags && stated.tags) merged.tags = [...new Set([...outer.tags, ...stated.tags])];
  if (outer.locks && stated.locks) merged.locks = [...new Set([...outer.locks, ...stated.locks])];
  return merged;
}

export interface AnnotationEvaluation {
  readonly skip: string | undefined;
  /** The reason of a skip whose date has passed: the case fails. */
  readonly expired: string | undefined;
  /** The reason of `onRequest`. The case runs if it is requested. */
  readonly notRequested: string | undefined;
  readonly knownFailure: string | undefined;
}

const unmarked: AnnotationEvaluation = { skip: undefined, expired: undefined, notRequested: undefined, knownFailure: undefined };

const isUntilPassed = (mark: { until: string }, today: string): boolean => today >= mark.until;

/**
 * Evaluates the annotations of a case on a day.
 *
 * | annotation | before its `until`, or without one | from that day on |
 * | --- | --- | --- |
 * | skip | skipped | failed as expired |
 * | knownFailure | its failure is excused | its failure counts |
 * | onRequest | not run unless requested | |
 */
export function evaluateAnnotations(annotations: Annotations, today: string): AnnotationEvaluation {
  const { skip, knownFailure, onRequest } = annotations;
  if (skip === undefined && knownFailure === undefined && onRequest === undefined) return unmarked;
  const skipPast = typeof skip === 'object' && isUntilPassed(skip, today);
  const knownPast = typeof knownFailure === 'object' && isUntilPassed(knownFailure, today);
  const reason = (mark: string | { reason: string }): string => (typeof mark === 'string' ? mark : mark.reason);
  return {
    skip: skip && !skipPast ? reason(skip) : undefined,
    expired: skipPast ? `${skip.reason} (skipped until ${skip.until})` : undefined,
    notRequested: onRequest,
    knownFailure: knownFailure !== undefined && !knownPast ? reason(knownFailure) : undefined,
  };
}

/** Validates the annotations of a row. */
export function validateAnnotations(marks: RowAnnotations, owner: string): Problem[] {
  const problems = findInvalidOptions(marks, rowAnnotationSpecs, owner);
  const until = problems.length > 0 ? undefined : findInvalidDate(marks);
  return until === undefined ? problems : [{ code: 'invalid-date', text: until, owner }];
}

/** The first `until` that is not an ISO date, if any. */
export function findInvalidDate(annotations: Annotations): string | undefined {
  for (const mark of [annotations.skip, annotations.knownFailure]) {
    if (typeof mark === 'object' && !(/^\d{4}-\d\d-\d\d$/.test(mark.until) && !Number.isNaN(Date.parse(mark.until)))) return String(mark.until);
  }
  return undefined;
}
