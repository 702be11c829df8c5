// Amounts in the browser, read and written in one way; the server reckons again.
// "1,234.5" and "$1234.50" -> 123450 cents; null for what is no amount.
export const cents = (text) => {
  const found = /^\$?\s*([\d,]*)(?:\.(\d{0,2}))?$/.exec(text.trim());
  if (!found || !(found[1] || found[2])) return null;
  return Number(found[1].replaceAll(",", "") || 0) * 100 + Number((found[2] || "").padEnd(2, "0"));
};

// 123450 -> "1,234.50", with a true minus.
export const words = (value) => {
  const shown = (Math.abs(value) / 100).toLocaleString("en-US", { minimumFractionDigits: 2, maximumFractionDigits: 2 });
  return value < 0 ? `−${shown}` : shown;
};
