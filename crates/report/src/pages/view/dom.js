// Elements by id, and new ones. Names go in as text only, so none can become markup.
export const $ = (id) => document.getElementById(id);

export const make = (tag, text, name) => {
  const element = document.createElement(tag);
  if (text !== undefined && text !== null) element.textContent = text;
  if (name) element.className = name;
  return element;
};

export const button = (text, act, name) => {
  const element = make("button", text, name);
  element.type = "button";
  element.addEventListener("click", act);
  return element;
};

// Copies the text of a field, and says so on the button for a moment. `shown` is where the text is seen, if not there.
export const bindCopy = (press, area, shown = area) => {
  const label = press.textContent;
  let later = 0;
  press.addEventListener("click", async () => {
    try {
      await navigator.clipboard.writeText(area.value);
    } catch {
      if (shown.select) shown.select();
      else getSelection().selectAllChildren(shown);
      document.execCommand("copy");
    }
    press.textContent = "Copied";
    clearTimeout(later);
    later = setTimeout(() => {
      press.textContent = label;
    }, 1200);
  });
};

export const pageData = () => JSON.parse($("data").textContent);

export const loadImages = (sources) => sources.map((src) => Object.assign(new Image(), { src }));

export const decoded = (images) => Promise.all(images.map((image) => image.decode().catch(() => {})));

// The largest zoom at which a size fits: whole where it is enlarged.
export const zoomToFit = ([width, height], [wide, high]) => {
  const most = Math.min(wide / width, high / height);
  return most >= 1 ? Math.min(12, Math.floor(most)) : most;
};
