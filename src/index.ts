/** The public face, portable: runs in Node and in browsers as it is. */

export { type Cell, cell } from './cases/data/cells.ts';
export type { Columns, RowOf, StandardSchema } from './cases/data/columns.ts';
export { type DataFileOptions, dataFile } from './cases/data/data-file.ts';
export type { Marks, RowMarks } from './cases/marks.ts';
export { matrix } from './cases/matrix/matrix.ts';
export type { Impossible, MatrixOptions } from './cases/matrix/options.ts';
export { verifyCover } from './cases/matrix/verify.ts';
export type { Random } from './cases/random.ts';
export type { FileReader } from './cases/row.ts';
export type { CaseSource, Datum } from './cases/source.ts';
export { named, range, rows, table, values } from './cases/table.ts';
export { type Checks, type Comparisons, type Ensures, sure } from './checks/checks.ts';
export type { Wanted } from './checks/comparisons.ts';
export { type Factory, factory, random } from './fixtures/factory.ts';
export {
  type Binding,
  type Fixture,
  fixture,
  type Needs,
  type Outcome,
  onDemand,
  type Patch,
  type Scope,
  type SetupMoment,
  type Source,
  type Values,
} from './fixtures/fixture.ts';
export type { Frame, Place } from './problems/place.ts';
export type { Problem } from './problems/problem.ts';
export { ProblemError } from './problems/problem-error.ts';
export { wording } from './problems/wording.ts';
export type { CauseCount, WhereItFails } from './results/where/causes.ts';
export { type Condition, tellCondition } from './results/where/condition.ts';
export { type JudgedRow, whereItFails } from './results/where/where-it-fails.ts';
export type { Attachment, CaseResult, Cause, Failure, Status, StepResult, Times } from './running/result.ts';
export { type Folder, planSuites, type RunEvent, type RunOptions, type RunSummary, runSuites } from './running/suites.ts';
export { type Config, configure } from './suites/config.ts';
export type { CaseInHand, Step, StepInHand } from './suites/hand.ts';
export type { PlannedCase } from './suites/planned.ts';
export {
  type Around,
  type Child,
  type Here,
  here,
  type Options,
  type Suite,
  type SuiteOptions,
  suite,
  type Test,
  type TestOptions,
  test,
  testWith,
} from './suites/suite.ts';
