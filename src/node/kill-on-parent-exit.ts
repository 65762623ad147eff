import { type ChildProcess, spawn } from 'node:child_process';

/** How long in seconds lanes can run teardowns after the coordinator has ended. */
const GRACE_SECONDS = 10;

/** Reads process ids until its input ends (a minus sign: that process has ended), then waits for these processes and kills the remaining ones. */
const script = `p=" "; while read -r n; do case "$n" in -*) p="$(printf %s "$p" | sed "s/ \${n#-} / /")";; *) p="$p$n ";; esac; done
i=0; while [ $i -lt ${GRACE_SECONDS} ]; do for n in $p; do kill -0 $n 2>/dev/null || p="$(printf %s "$p" | sed "s/ $n / /")"; done
case "$p" in *[0-9]*) ;; *) exit;; esac; sleep 1; i=$((i+1)); done; for n in $p; do kill -9 -$n 2>/dev/null || kill -9 $n 2>/dev/null; done`;

let watcher: ChildProcess | undefined;

/**
 * Ensures that a lane does not outlive this process, however it ends, even if the lane is in an endless loop: a small shell waits for the
 * end of its input. Without such a shell, lanes end when their channel closes.
 */
export function killOnParentExit(child: ChildProcess): void {
  if (process.platform === 'win32' || child.pid === undefined) return;
  if (!watcher) {
    watcher = spawn('/bin/sh', ['-c', script], { stdio: ['pipe', 'ignore', 'ignore'], detached: true });
    watcher.on('error', () => undefined);
    watcher.stdin?.on('error', () => undefined);
    watcher.unref();
    (watcher.stdin as unknown as { unref?: () => void } | null)?.unref?.();
  }
  const { stdin } = watcher;
  stdin?.write(`${child.pid}\n`);
  child.once('exit', () => stdin?.write(`-${child.pid}\n`));
}
