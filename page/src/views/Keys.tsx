import { useEffect, useRef } from 'react';

export const keys: readonly (readonly [string, string])[] = [
  ['1 … 5', 'overview, tests, matrix, time, compare'],
  ['/', 'to the filter'],
  ['n, p', 'the next, the previous failing case'],
  ['f', 'failing cases only, or all'],
  ['↑ ↓ → ←', 'through the list of tests; opens and closes'],
  ['Enter', 'opens the case, or folds the test'],
  ['c', 'copies the command that runs the case again'],
  ['r', 'runs what failed again (with red-lattice view)'],
  ['t', 'light, dark, or as the system has it'],
  ['Esc', 'closes the case, or this list'],
  ['?', 'this list'],
];

export function Keys({ onClose }: { readonly onClose: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  return (
    <dialog ref={dialog} onClose={onClose} aria-labelledby="keys">
      <h2 id="keys">Keys</h2>
      <table>
        <tbody>
          {keys.map(([key, does]) => (
            <tr key={key}>
              <th scope="row">
                <kbd>{key}</kbd>
              </th>
              <td>{does}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <form method="dialog">
        <button type="submit">close</button>
      </form>
    </dialog>
  );
}
