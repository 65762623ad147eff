/** The names of a table's columns. Those in `numeric` are above numbers; those in `hidden` are only for screen readers. */
export const Headings = ({
  names,
  numeric = [],
  hidden = [],
}: {
  readonly names: readonly string[];
  readonly numeric?: readonly string[];
  readonly hidden?: readonly string[];
}) => (
  <thead>
    <tr>
      {names.map((name) => (
        <th key={name} scope="col" className={numeric.includes(name) ? 'number' : undefined}>
          {hidden.includes(name) ? <span className="unseen">{name}</span> : name}
        </th>
      ))}
    </tr>
  </thead>
);
