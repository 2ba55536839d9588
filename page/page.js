'use strict';
(() => {
  const data = JSON.parse(document.getElementById('data').textContent);
  const dark = matchMedia('(prefers-color-scheme: dark)');
  const colour = name => getComputedStyle(document.documentElement).getPropertyValue('--' + name).trim();

  const config = () => ({
    background: null,
    font: 'system-ui, sans-serif',
    view: {stroke: null},
    axis: {labelColor: colour('text'), titleColor: colour('dim'), gridColor: colour('line'), domainColor: colour('line'),
           tickColor: colour('line'), labelLimit: 320, labelOverlap: 'greedy', labelFontSize: 12, titleFontWeight: 'normal'},
    legend: {labelColor: colour('text'), titleColor: colour('dim'), labelLimit: 300},
    header: {labelColor: colour('text'), titleColor: colour('dim')},
    range: {category: dark.matches ? ['#82aaff', '#ff9d5c', '#7fd1ae', '#d9a5e8', '#e6d36a', '#9a9fa9', '#f28b9b', '#6fc7d9']
                                   : ['#1a56c4', '#b34700', '#137a56', '#8438a3', '#7d6a00', '#5d6168', '#b3233c', '#0d7087']},
  });

  // Charts of trials refer to a form and to the values of their cells, which are written once.
  const assemble = chart => {
    if (chart.lines)
      return {...chart.spec, data: {values: chart.lines.flatMap(line => line.share.map(
        (share, i) => ({row: line.row, share, round: line.round[i]})))}};
    if (!chart.form) return chart;
    const dots = chart.form.includes(' dots');
    const values = chart.rows.flatMap(([row, key]) => {
      const cell = data.values[key];
      return dots ? cell.all.map((value, i) => ({row, value, round: cell.rounds[i], place: (i % 7) / 7 - 0.43})) : [{row, ...cell, all: null, rounds: null}];
    });
    return {...data.forms[chart.form], height: 24 * Math.max(1, chart.rows.length), data: {values}};
  };

  const draw = async (figure, chart) => {
    if (typeof vegaEmbed === 'undefined') {
      figure.textContent = 'Charts are not part of this build of Assay; the tables have all figures.';
      return;
    }
    const verdicts = {domain: ['better', 'worse', 'same', 'unclear', 'differs'],
                      range: ['better', 'worse', 'same', 'unclear', 'differs'].map(colour)};
    const {data: values, ...form} = assemble(chart);
    const spec = JSON.parse(JSON.stringify(form), (key, value) => value === 'VERDICTS' ? verdicts : value === 'INK' ? colour('dim') : value);
    spec.data = values;
    if (spec.width === 'container') spec.width = Math.max(260, figure.clientWidth - 44);
    await vegaEmbed(figure, spec, {renderer: 'svg', config: config(), tooltip: true,
                                   actions: {export: {svg: true, png: true}, source: false, compiled: false, editor: false}});
    figure.dataset.drawn = 'yes';
  };

  const fail = error => { document.body.dataset.errors = (document.body.dataset.errors || '') + error + '\n'; throw error; };
  const breathe = () => new Promise(resolve => setTimeout(resolve));
  // What is in view first, the rest one by one, so that the page can be used meanwhile.
  const drawAll = async () => {
    const height = chart => 24 * (chart.rows || chart.data?.values || []).length || 200;
    const figures = [...document.querySelectorAll('[data-chart]')].filter(figure => !figure.closest('details:not([open])'));
    for (const figure of figures) if (!figure.dataset.drawn) figure.style.minHeight = height(data.charts[figure.dataset.chart]) + 'px';
    const inView = figures.filter(figure => { const box = figure.closest('section, details').getBoundingClientRect(); return box.bottom > 0 && box.top < innerHeight; });
    for (const figure of new Set([...inView, ...figures])) {
      await draw(figure, data.charts[figure.dataset.chart]).catch(fail);
      figure.style.minHeight = '';
      await breathe();
    }
  };

  document.addEventListener('click', event => {
    const button = event.target.closest('button[data-detail]');
    if (!button) return;
    const row = button.closest('tr');
    const open = button.getAttribute('aria-expanded') === 'true';
    button.setAttribute('aria-expanded', String(!open));
    button.textContent = open ? 'show' : 'hide';
    if (open) { row.nextElementSibling.remove(); return; }
    const detail = document.createElement('tr');
    detail.className = 'detail';
    const cell = detail.insertCell();
    cell.colSpan = row.cells.length;
    const figure = document.createElement('div');
    cell.append(figure);
    row.after(detail);
    draw(figure, data.details[button.dataset.detail]).catch(fail);
  });

  // What is folded has no width to draw in until it is opened.
  document.querySelectorAll('details').forEach(part => part.addEventListener('toggle', () => {
    if (part.open) part.querySelectorAll('[data-chart]:not([data-drawn])').forEach(figure => draw(figure, data.charts[figure.dataset.chart]).catch(fail));
  }));

  const filter = document.getElementById('filter');
  filter?.addEventListener('input', () => {
    const words = filter.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0, all = 0;
    document.querySelectorAll('tr.detail').forEach(row => row.previousElementSibling.querySelector('button').click());
    document.querySelectorAll('tr[data-text]').forEach(row => {
      const fits = words.every(word => row.dataset.text.toLowerCase().includes(word));
      row.hidden = !fits;
      all += 1;
      shown += fits ? 1 : 0;
    });
    document.getElementById('shown').textContent = words.length ? `${shown} of ${all} rows` : '';
  });

  window.addEventListener('error', event => { document.body.dataset.errors = (document.body.dataset.errors || '') + event.message + '\n'; });
  dark.addEventListener('change', drawAll);
  document.body.dataset.opened = Math.round(performance.now());
  drawAll().then(() => { document.body.dataset.ready = 'yes'; });
})();
