/** A file as the body of a call that takes one, and how it is sent. */
export function fileBody(file: File) {
  const form = new FormData();
  form.append('file', file);
  return { body: form as never, bodySerializer: (b: unknown) => b as never };
}
