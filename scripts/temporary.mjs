/** Where the system keeps what is for a while only: what the environment says, by POSIX's name for it or by Windows', else its usual place. */
export const temporaryFolder = () => ['DIR', ''].map((ending) => process.env[`TMP${ending}`]).find(Boolean) ?? process.env.TEMP ?? '/tmp';
