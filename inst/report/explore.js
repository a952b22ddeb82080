// A click on a number asks for the orders behind it.
"use strict";
document.addEventListener("click", event => {
  const button = event.target.closest(".pick");
  if (button) Shiny.setInputValue("picked", { view: button.dataset.view, key: button.dataset.key }, { priority: "event" });
});
