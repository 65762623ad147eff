/** Where the system keeps what is for a while only. */
export const temporaryFolder = () => process.env.TMPDIR ?? process.env.TMP ?? process.env.TEMP ?? '/tmp';
