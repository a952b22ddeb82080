// Numbers are told as they move; a click on a number asks for what is behind it; the room for
// pictures is told.
"use strict";
const tellNumber = event => {
  const knob = event.target.closest(".knob");
  if (!knob) return;
  for (const input of knob.querySelectorAll("input")) if (input !== event.target) input.value = event.target.value;
  if (event.target.value !== "") Shiny.setInputValue(knob.dataset.id, Number(event.target.value), { priority: "event" });
};
document.addEventListener("input", tellNumber);
const pick = element => Shiny.setInputValue(
  "picked", { view: element.dataset.view, key: element.dataset.key }, { priority: "event" }
);
document.addEventListener("click", event => {
  const mark = event.target.closest(".pick");
  if (mark) pick(mark);
});
let told = 0;
const tellRoom = () => {
  const body = document.querySelector(".container-fluid");
  const room = Math.round((innerWidth >= 576 ? body.clientWidth * 0.75 : body.clientWidth) - 40);
  if (Math.abs(room - told) > 20) Shiny.setInputValue("room", told = room);
};
addEventListener("resize", tellRoom);
document.addEventListener("shiny:connected", tellRoom);
