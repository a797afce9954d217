// The first set-up offers the zone of this device, and reads figures as its country does.
(() => {
  const zone = document.querySelector("input[data-zone]");
  if (!zone) return;
  const at = Intl.DateTimeFormat().resolvedOptions();
  zone.value = at.timeZone || zone.value;
  const country = new Intl.Locale(navigator.language).maximize().region;
  const guess = {
    temperature: ["US", "LR", "KY", "BS", "BZ", "PW", "FM", "MH"].includes(country) ? "F" : "C",
    mass: ["US", "LR"].includes(country) ? "oz" : "g",
    clock: Intl.DateTimeFormat(navigator.language, {hour: "numeric"}).resolvedOptions().hour12 ? "12" : "24",
  };
  for (const list of document.querySelectorAll("select[data-guess]")) list.value = guess[list.dataset.guess];
})();
