/* Shows what is found in a real answer while its fields are written. What is found is the server's to say. */
(() => {
  const form = document.querySelector('[data-describe]');
  const csrf = form.querySelector('[name=csrf_token]').value;
  const send = async (address, name, more = {}) => {
    const body = new FormData(form);
    body.set('quantity', name);
    for (const [key, value] of Object.entries(more)) body.set(key, value);
    const answer = await fetch(address, { method: 'POST', body, headers: { Accept: 'application/json', 'X-CSRFToken': csrf } });
    return answer.json();
  };
  for (const part of form.querySelectorAll('[data-read]')) {
    const name = part.dataset.read, trial = part.querySelector('[data-trial]'), answer = part.querySelector('[data-answer]'), said = part.querySelector('[data-found]');
    trial.hidden = false;
    let asked = 0;
    const show = (found) => {
      said.replaceChildren();
      if (found.number) {
        const mark = document.createElement('mark');
        mark.className = 'rounded bg-marigold-ground px-1 text-ink';
        mark.textContent = found.number;
        said.append(found.before, mark, found.behind, ` is ${found.means}`);
      } else said.append(found.words ?? '');
    };
    const find = async () => {
      const mine = ++asked;
      if (!answer.value) { said.replaceChildren(); return; }
      const found = await send(form.dataset.find, name, { answer: answer.value });
      if (mine === asked) show(found);
    };
    part.querySelector('[data-ask-now]').addEventListener('click', async (e) => {
      e.target.disabled = true;
      try {
        const told = await send(form.dataset.ask, name);
        if (told.answer === undefined) { asked++; show({ words: told.words }); } else { answer.value = told.answer; await find(); }
      } finally { e.target.disabled = false; }
    });
    part.addEventListener('input', find);
  }
})();
