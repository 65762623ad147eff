/** The public entry point: runs unchanged in Node and in browsers. */

export type { Annotations, RowAnnotations } from './cases/annotations.ts';
export { type Cell, cell, type NumberCell } from './cases/data/cells.ts';
export type { Columns, RowOf, StandardSchema } from './cases/data/columns.ts';
export { type DataFileOptions, dataFile } from './cases/data/data-file.ts';
export { matrix } from './cases/matrix/matrix.ts';
export type { Exclusion, MatrixOptions } from './cases/matrix/options.ts';
export { verifyCoverage } from './cases/matrix/verify.ts';
export type { Random } from './cases/random.ts';
export type { FileSource } from './cases/row.ts';
export type { CaseSource, Datum } from './cases/source.ts';
export { namedRows, range, rows, table, values } from './cases/table.ts';
export { assert, type Checks, type Comparisons, type Ensures } from './checks/checks.ts';
export type { FileCheckOptions } from './checks/compare-file.ts';
export type { ExpectedError } from './checks/comparisons.ts';
export type { ColumnValues, RowChecks, RowEnsures } from './checks/row-checks.ts';
export { type Factory, factory, type MakeContext, random } from './fixtures/factory.ts';
export {
  type Fixture,
  fixture,
  lazy,
  type Needs,
  type Override,
  type Patch,
  type Provider,
  type Scope,
  type SetupContext,
  type TeardownContext,
  type Values,
} from './fixtures/fixture.ts';
export { formatProblem } from './problems/format-problem.ts';
export type { LateActivity, NameKind, Problem } from './problems/problem.ts';
export { ProblemError } from './problems/problem-error.ts';
export type { Frame, SourceLocation } from './problems/source-location.ts';
export type { Suspect, Suspects } from './results/cause/suspects.ts';
export { type NarrowOptions, narrow } from './results/narrowing/narrow.ts';
export type { NarrowedTest, UnexplainedRow } from './results/narrowing/narrow-test.ts';
export type { FailureCause } from './results/narrowing/proof.ts';
export type { FailurePattern, WhereItFails } from './results/where/causes.ts';
export { type Condition, formatCondition } from './results/where/condition.ts';
export { type LabeledRow, whereItFails } from './results/where/where-it-fails.ts';
export type { Attachment, CaseResult, Cause, Failure, Status, StepResult, Times } from './running/result.ts';
export { type DataFileLocation, planSuites, type RunEvent, type RunOptions, type RunSummary, runSuites } from './running/suites.ts';
export { type Config, defineConfig, type LoadedCode, type Loader } from './suites/config.ts';
export type { CaseContext, Step, StepContext } from './suites/contexts.ts';
export type { PlannedCase } from './suites/planned.ts';
export {
  type Child,
  type FolderDefaults,
  folder,
  type Options,
  type SetupTeardown,
  type Suite,
  type SuiteOptions,
  suite,
  type Test,
  type TestOptions,
  test,
  testWith,
} from './suites/suite.ts';
