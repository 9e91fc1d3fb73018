// What cannot be read: controls and pictures without a name, and text whose contrast is below AA (WCAG 2.2, 1.4.3).
() => {
  const shown = (element) => element.getClientRects().length > 0;
  const nameOf = (element) =>
    (
      element.getAttribute("aria-label") ||
      element.textContent ||
      element.getAttribute("title") ||
      [...(element.labels ?? [])].map((label) => label.textContent).join("")
    ).trim();
  const nameless = [...document.querySelectorAll("button, input, [role=slider], [role=combobox], canvas")]
    .filter((element) => shown(element) && !element.closest("[aria-hidden]") && !nameOf(element))
    .map((element) => element.outerHTML.slice(0, 160));

  const pixel = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
  const colourOf = (text) => {
    pixel.clearRect(0, 0, 1, 1);
    pixel.fillStyle = text;
    pixel.fillRect(0, 0, 1, 1);
    return [...pixel.getImageData(0, 0, 1, 1).data];
  };
  const luminance = (rgb) => {
    const [r, g, b] = rgb.map((v) => (v / 255 <= 0.04045 ? v / 3294.6 : ((v / 255 + 0.055) / 1.055) ** 2.4));
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const pale = [];
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const element = node.parentElement;
    if (!node.textContent.trim() || !shown(element)) continue;
    let behind = null;
    let solid = true;
    for (let at = element; at; at = at.parentElement) {
      const style = getComputedStyle(at);
      // what is idle or out of date is pale on purpose
      solid &&= style.opacity === "1";
      const colour = colourOf(style.backgroundColor);
      if (!behind && colour[3] === 255) behind = colour;
    }
    if (!solid || !behind) continue;
    const [low, high] = [luminance(colourOf(getComputedStyle(element).color)), luminance(behind)].sort((a, b) => a - b);
    const contrast = (high + 0.05) / (low + 0.05);
    if (contrast < 4.5) pale.push(`${contrast.toFixed(2)} ${node.textContent.trim().slice(0, 40)}`);
  }
  return { nameless, pale };
};
