/** A file in a form. */
export type FormFile = { readonly field: string; readonly fileName: string; readonly contentType: string };

/** A form with one file: the bytes before and behind the file's, and the content type with its boundary. */
export type FormBody = { readonly before: Buffer; readonly behind: Buffer; readonly contentType: string };

/**
 * A form with texts and one file, the file last (RFC 7578 §4).
 * @param boundary a text that occurs in none of the values; 20 random characters will do.
 */
export function encodeForm(fields: readonly (readonly [string, string])[], file: FormFile, boundary: string): FormBody {
  const texts = fields.map(
    ([name, value]) =>
      `--${boundary}\r\nContent-Disposition: form-data; name="${escapeName(name)}"\r\n\r\n${value}\r\n`,
  );
  const head =
    `--${boundary}\r\nContent-Disposition: form-data; name="${escapeName(file.field)}"; filename="${escapeName(file.fileName)}"\r\n` +
    `Content-Type: ${file.contentType}\r\n\r\n`;
  return {
    before: Buffer.from(texts.join('') + head),
    behind: Buffer.from(`\r\n--${boundary}--\r\n`),
    contentType: `multipart/form-data; boundary=${boundary}`,
  };
}

/** Quotes and line ends in a name are percent-encoded (RFC 7578 §2, the WHATWG form's escaping). */
function escapeName(name: string): string {
  return name.replace(/["\r\n]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`);
}
