/** What only the page itself was given, sent along with everything that starts work. */
function given(): Record<string, string> {
  const word = document.querySelector<HTMLMetaElement>('meta[name="nubrak-page"]')?.content;
  return word ? { 'X-Nubrak-Page': word } : {};
}

export const PAGE_HEADERS = given();
