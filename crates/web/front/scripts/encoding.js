// Bytes of a text file as text.

/**
 * The text of bytes that are UTF-8; null of any others.
 * @param {ArrayBuffer} bytes
 * @returns {string | null}
 */
export function asUtf8(bytes) {
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    return null;
  }
}

/**
 * The text of bytes in an encoding that a person named, by its label of the Encoding Standard.
 * @param {ArrayBuffer} bytes
 * @param {string} label
 * @returns {string}
 */
export function decoded(bytes, label) {
  return new TextDecoder(label).decode(bytes);
}
