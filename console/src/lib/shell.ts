/** A word of a command line to be copied: quoted where a shell would read more into it. */
export function word(text: string): string {
  return /^[A-Za-z0-9\-._:/@%+,=]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`;
}
