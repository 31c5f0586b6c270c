/** Put a text where paste takes it from; also where the page is served without TLS, and browsers have no clipboard for it. */
export async function copyText(text: string): Promise<boolean> {
  if (navigator.clipboard) return navigator.clipboard.writeText(text).then(() => true, () => false);
  const field = document.createElement("textarea");
  field.value = text;
  field.style.position = "fixed";
  document.body.append(field);
  field.select();
  const done = document.execCommand("copy");
  field.remove();
  return done;
}
