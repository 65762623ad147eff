/** Thrown to leave a step or a case early: by `ensure`, `step.required` and `skip`. Its reason has been recorded already. */
export class ControlSignal extends Error {
  override readonly name = 'Stop';
  readonly ends: 'step' | 'case';
  readonly skip: string | undefined;

  constructor(ends: 'step' | 'case', skip?: string) {
    super(skip === undefined ? 'an ensure failed: control leaves the step or the case' : `skipped: ${skip}`);
    this.ends = ends;
    this.skip = skip;
  }
}
