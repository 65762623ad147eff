import { useEffect, useRef } from 'react';

export const keys: readonly (readonly [string, string])[] = [
  ['1 … 6', 'overview, tests, matrix, time, history, compare'],
  ['/', 'focus the filter'],
  ['n, p', 'next, previous failing case'],
  ['f', 'show failing cases only, or all'],
  ['↑ ↓ → ←', 'move through the tests; open and close'],
  ['Enter', 'open the case, or fold the test'],
  ['+ −', 'zoom in and out of the lanes; → ← move'],
  ['c', 'copy the command that runs the case again'],
  ['r', 'run failed cases again (with red-lattice view)'],
  ['t', 'switch colours: light, dark, system'],
  ['Esc', 'close the case, or this list'],
  ['?', 'show this list'],
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
