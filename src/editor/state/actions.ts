/** Every action by name: the command box, the keys and the buttons all use this list. */
import { inCages, MOST_CAGES } from '../../core/cage/cages';
import { PLOT_MAPS, defaultFill, defaultSway, type PlotMap } from '../../core/document/schema';
import { limitOf, MEASURES } from '../../core/document/proof';
import { figureOf, worstList } from '../../core/proof/judge';
import { TROUBLE_NAMES, TROUBLES } from '../../core/proof/remedies';
import { addShot, openShot, shotNames } from '../../core/document/shots';
import { DROP_KINDS, KIND_WORDS, MOST_SOURCES } from '../../core/drops/sources';
import { ALL_ROUND } from '../../core/fill/coverage';
import { TREATMENT_NAMES, TREATMENTS } from '../../core/fill/treatments';
import { RIGS, type Rig } from '../view/lights';
import { putCage } from './cage-edits';
import { addSource } from './drop-edits';
import type { Session } from './session';
import { STAGE_NAMES } from './stages';
import { CHARTED, MEASURED_STRANDS, saveProof } from './proof-files';
import { COMB_TOOLS, HEATS, STAGES, useEditor, type CombTool, type ViewName } from './store';
import { pasteRemembered, rememberedStyle, rememberStyle } from './style-clipboard';
import { openFold } from '../components/controls';
import { nextGrain, setTheme } from '../components/theme';

export interface Action {
  id: string;
  name: string;
  group: string;
  /** As shown, e.g. "Ctrl Z". */
  keys?: string;
  /** Key of `KeyboardEvent.key`, lower case, with "ctrl+" or "shift+" before. */
  combo?: string[];
  enabled: () => boolean;
  run: () => void;
}

const BRUSH_NAMES: Record<CombTool, string> = {
  look: 'Put the brush away in Comb', comb: 'Comb brush', smooth: 'Smooth brush', straighten: 'Straighten brush', part: 'Part brush', gather: 'Gather brush', spread: 'Spread brush', lift: 'Lift brush', press: 'Press brush', twist: 'Twist brush', curl: 'Curl brush',
  longer: 'Longer or shorter brush', match: 'Match lengths brush', cut: 'Cut brush', settle: 'Settle brush: let hair fall', add: 'Add guides with a brush', remove: 'Remove guides with a brush', paint: 'Paint a map in Comb', choose: 'Choose strands', cage: 'Cage',
};
const state = useEditor.getState;
const always = (): boolean => true;

export function buildActions(session: Session, tell: (message: string) => void): Action[] {
  const document = () => state().history?.document;
  const hasGuides = (): boolean => !!document()?.guides;
  const hasPlot = (): boolean => session.plotFaces.length > 0;
  const trying = (task: Promise<unknown>): void => { task.catch((e: unknown) => tell(e instanceof Error ? e.message : String(e))); };
  const step = (by: number): void => {
    const shot = document()?.shot;
    if (shot) useEditor.setState({ playing: false, frame: Math.min(shot.end, Math.max(shot.start, Math.round(state().frame) + by)) });
  };
  const views: [ViewName, string][] = [['front', 'front'], ['side', 'side'], ['back', 'back'], ['top', 'top'], ['threeQuarter', 'three-quarter'], ['whole', 'whole figure']];
  const look = (name: ViewName): void => useEditor.setState({ viewRequest: { name, count: state().viewRequest.count + 1 } });
  return [
    ...STAGES.map((stage, i): Action => ({ id: `stage-${stage}`, name: `Go to ${STAGE_NAMES[stage]}`, group: 'Stages', keys: String(i + 1), combo: [String(i + 1)], enabled: always, run: () => useEditor.setState({ stage }) })),
    { id: 'play', name: 'Play or pause', group: 'Time', keys: 'Space', combo: [' '], enabled: always, run: () => { if (!state().playing && state().stage === 'sway') session.runs.start(); useEditor.setState({ playing: !state().playing }); } },
    { id: 'next', name: 'Next frame', group: 'Time', keys: '→', combo: ['arrowright'], enabled: always, run: () => step(1) },
    { id: 'previous', name: 'Previous frame', group: 'Time', keys: '←', combo: ['arrowleft'], enabled: always, run: () => step(-1) },
    { id: 'first', name: 'First frame', group: 'Time', keys: 'Home', combo: ['home'], enabled: always, run: () => step(-1e9) },
    { id: 'last', name: 'Last frame', group: 'Time', keys: 'End', combo: ['end'], enabled: always, run: () => step(1e9) },
    { id: 'undo', name: 'Undo', group: 'Document', keys: 'Ctrl Z', combo: ['ctrl+z'], enabled: () => (state().history?.done.length ?? 0) > 0, run: () => state().undo() },
    { id: 'redo', name: 'Redo', group: 'Document', keys: 'Ctrl Shift Z', combo: ['ctrl+shift+z', 'ctrl+y'], enabled: () => (state().history?.undone.length ?? 0) > 0, run: () => state().redo() },
    ...COMB_TOOLS.map((tool): Action => ({ id: `brush-${tool}`, name: BRUSH_NAMES[tool], group: 'Brushes', enabled: hasGuides, run: () => useEditor.setState({ stage: 'comb', comb: { ...state().comb, tool } }) })),
    { id: 'both-sides', name: 'Comb both sides, or one', group: 'Brushes', keys: 'M', combo: ['m'], enabled: hasGuides, run: () => useEditor.setState({ comb: { ...state().comb, symmetric: !state().comb.symmetric } }) },
    { id: 'choose-all', name: 'Let go of the chosen strands', group: 'Chosen strands', enabled: () => state().chosen > 0, run: () => session.combDesk.setChoice(null) },
    { id: 'choose-others', name: 'Choose the other strands', group: 'Chosen strands', enabled: () => state().chosen > 0, run: () => session.combDesk.invert() },
    { id: 'choose-grow', name: 'Choose neighbouring strands too', group: 'Chosen strands', enabled: () => state().chosen > 0, run: () => session.combDesk.grow(false) },
    { id: 'choose-shrink', name: 'Choose fewer strands', group: 'Chosen strands', enabled: () => state().chosen > 0, run: () => session.combDesk.grow(true) },
    { id: 'isolate', name: 'Hide or show the strands that are not chosen', group: 'Chosen strands', enabled: hasGuides, run: () => useEditor.setState({ comb: { ...state().comb, isolate: !state().comb.isolate } }) },
    { id: 'remove-chosen', name: 'Remove the chosen guides', group: 'Chosen strands', enabled: () => state().chosen > 0, run: () => session.combDesk.removeOr(session.combDesk.chosenOrAll()) },
    { id: 'mirror-left', name: 'Mirror the style, left to right', group: 'Groom', enabled: hasGuides, run: () => { const trouble = session.combDesk.mirror(true, false); if (trouble) tell(trouble); } },
    { id: 'mirror-right', name: 'Mirror the style, right to left', group: 'Groom', enabled: hasGuides, run: () => { const trouble = session.combDesk.mirror(false, false); if (trouble) tell(trouble); } },
    { id: 'layer-add', name: 'Add a layer of style', group: 'Groom', enabled: hasGuides, run: () => { useEditor.setState({ stage: 'comb' }); session.combDesk.addLayer(); } },
    { id: 'style-copy', name: 'Copy the style', group: 'Groom', enabled: hasGuides, run: () => trying(rememberStyle(session)) },
    { id: 'style-paste', name: 'Paste the style', group: 'Groom', enabled: () => hasGuides() && rememberedStyle() !== null, run: () => trying(pasteRemembered(session)) },
    { id: 'sway-cage', name: 'Move the chosen hair in a cage', group: 'Movement', enabled: () => hasGuides() && (document()?.sway.cages ?? []).length < MOST_CAGES, run: () => { useEditor.setState({ stage: 'sway' }); openFold('cages'); putCage(session); } },
    { id: 'sway-rule', name: 'Movement by rule: a setting times a formula', group: 'Movement', enabled: () => hasGuides() && !inCages(document()!.sway) && !document()!.sway.sheet, run: () => { useEditor.setState({ stage: 'sway' }); openFold('formulas'); } },
    ...DROP_KINDS.map((kind): Action => ({ id: `drops-${kind}`, name: `${KIND_WORDS[kind]} on the hair`, group: 'Movement', enabled: () => hasGuides() && !inCages(document()!.sway) && (document()?.sway.drops ?? []).length < MOST_SOURCES, run: () => { useEditor.setState({ stage: 'sway' }); openFold('drops'); addSource(session, kind); } })),
    { id: 'cage', name: 'Put a cage round the chosen hair', group: 'Groom', enabled: hasGuides, run: () => { useEditor.setState({ stage: 'comb', comb: { ...state().comb, tool: 'cage' } }); session.combDesk.cage.put(); } },
    { id: 'xray', name: 'See guides through the body, or not', group: 'View', enabled: hasGuides, run: () => useEditor.setState({ comb: { ...state().comb, xray: !state().comb.xray } }) },
    { id: 'mirrored', name: 'See the picture in a mirror, or not', group: 'View', enabled: always, run: () => useEditor.setState({ comb: { ...state().comb, mirrored: !state().comb.mirrored } }) },
    { id: 'bind-pose', name: 'See the bind pose in Comb, or the frame', group: 'View', enabled: always, run: () => useEditor.setState({ comb: { ...state().comb, bindPose: !state().comb.bindPose } }) },
    { id: 'plant', name: 'Plant guides anew', group: 'Groom', enabled: hasPlot, run: () => { useEditor.setState({ stage: 'plant' }); session.desk.plant(); } },
    { id: 'plant-stop', name: 'Stop planting', group: 'Groom', enabled: () => useEditor.getState().planting, run: () => { session.desk.stopPlanting(); } },
    { id: 'plant-more', name: 'Plant more guides between those that are there', group: 'Groom', enabled: () => hasPlot() && hasGuides(), run: () => { useEditor.setState({ stage: 'plant' }); session.desk.plant(true); } },
    { id: 'draw-skin', name: 'Draw a guide along the skin', group: 'Brushes', enabled: always, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'draw', how: 'skin' } }) },
    { id: 'draw-view', name: 'Draw a guide in the view', group: 'Brushes', enabled: always, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'draw', how: 'view' } }) },
    { id: 'redraw', name: 'Redraw part of a guide', group: 'Brushes', enabled: hasGuides, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'redraw' } }) },
    { id: 'flow', name: 'Draw which way hair lies', group: 'Brushes', enabled: always, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'flow' } }) },
    { id: 'flow-clear', name: 'Clear the flow', group: 'Groom', enabled: () => document()?.plot.flow != null, run: () => session.desk.clearFlow() },
    { id: 'add-between', name: 'Add guides between others', group: 'Brushes', enabled: hasGuides, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'between' } }) },
    { id: 'plot-marked', name: 'Take the plot from the file’s hair marks', group: 'Groom', enabled: () => session.mesh.hair.length > 0, run: () => session.desk.setPlot(session.desk.markedFaces(), 'Plot from the file’s marks') },
    { id: 'plot-grow', name: 'Grow the plot', group: 'Groom', enabled: hasPlot, run: () => session.desk.grow() },
    { id: 'plot-shrink', name: 'Shrink the plot', group: 'Groom', enabled: hasPlot, run: () => session.desk.shrink() },
    { id: 'plot-mirror', name: 'Mirror the plot to the other side', group: 'Groom', enabled: hasPlot, run: () => session.desk.mirror() },
    { id: 'plot-all', name: 'Make the whole mesh the plot', group: 'Groom', enabled: always, run: () => session.desk.all() },
    ...(Object.keys(PLOT_MAPS) as PlotMap[]).flatMap((map): Action[] => {
      const name = PLOT_MAPS[map].toLowerCase();
      return [
        { id: `paint-${map}`, name: `Paint ${name}`, group: 'Brushes', enabled: always, run: () => useEditor.setState({ stage: 'plant', plantTool: { name: 'paint', map, how: 'toward', value: 0 } }) },
        { id: `invert-${map}`, name: `Invert the ${name} map`, group: 'Groom', enabled: always, run: () => session.desk.invert(map) },
        { id: `clear-${map}`, name: `Clear the ${name} map`, group: 'Groom', enabled: () => session.desk.idOf(map) !== null, run: () => session.desk.fillMap(map, 1, `Clear ${name} map`) },
      ];
    }),
    { id: 'shot-add', name: 'Another shot like this one', group: 'Shots', enabled: always, run: () => state().edit('Another shot', (d) => addShot(d, d.shotName)) },
    { id: 'shot-next', name: 'Open the next shot', group: 'Shots', enabled: () => (document()?.otherShots.length ?? 0) > 0, run: () => { const d = document()!, names = shotNames(d), next = names[(names.indexOf(d.shotName) + 1) % names.length]; state().edit(`Shot ${next}`, (draft) => openShot(draft, next)); } },
    { id: 'run', name: 'Run the movement again', group: 'Movement', keys: 'Shift R', combo: ['shift+r'], enabled: hasGuides, run: () => { useEditor.setState({ stage: 'sway', playing: true, frame: document()!.shot.start }); session.runs.restart(); } },
    { id: 'run-stop', name: 'Stop the run', group: 'Movement', enabled: () => state().run.state === 'running', run: () => session.runs.stop() },
    { id: 'worst', name: 'Go to the worst frame', group: 'Movement', keys: 'W', combo: ['w'], enabled: () => !!state().run.proof?.frames.length, run: () => goToWorst() },
    { id: 'live', name: 'Move it by hand while it runs, or stop', group: 'Movement', keys: 'Shift L', combo: ['shift+l'], enabled: hasGuides, run: () => { if (state().live.on) session.hands.stop(); else { useEditor.setState({ stage: 'sway' }); session.hands.start(); } } },
    { id: 'live-hold', name: 'By hand: the pose stays, or the clip goes on', group: 'Movement', enabled: () => state().live.on, run: () => useEditor.setState({ live: { ...state().live, mode: state().live.mode === 'hold' ? 'play' : 'hold' } }) },
    { id: 'live-back', name: 'By hand: back to where it was', group: 'Movement', enabled: () => state().live.on, run: () => session.hands.letGo() },
    { id: 'wedge', name: 'Fan a setting out into takes', group: 'Movement', enabled: hasGuides, run: () => session.wedges.open() },
    { id: 'shot-check', name: 'Check all shots', group: 'Shots', enabled: hasGuides, run: () => useEditor.setState({ board: 'shots', stage: 'proof' }) },
    { id: 'shots-run', name: 'Run all shots that are out of date', group: 'Shots', enabled: hasGuides, run: () => { useEditor.setState({ board: 'shots', stage: 'proof' }); trying(session.shots.run()); } },
    { id: 'take-pin', name: 'Pin the take that is shown, or let it age', group: 'Takes', enabled: () => session.takes.shownProof()?.take !== undefined, run: () => { const take = session.takes.shownProof()!.take!; trying(session.takes.change(take.id, { pinned: !take.pinned })); } },
    { id: 'take-restore', name: 'Put back the settings of the take that is shown', group: 'Takes', enabled: () => state().shownTake !== null, run: () => trying(session.takes.restore(state().shownTake!)) },
    { id: 'take-leave', name: 'Back from the take to the run', group: 'Takes', enabled: () => state().shownTake !== null, run: () => trying(session.takes.show(null)) },
    { id: 'compare-off', name: 'Take the take away that is laid over', group: 'Takes', enabled: () => state().compare !== null, run: () => trying(session.takes.layOver(null)) },
    { id: 'proof-csv', name: 'Save the proof as CSV', group: 'Hand-over', enabled: () => session.takes.shownProof() !== null, run: () => saveProof(session) },
    { id: 'filled-depth', name: 'Measure filled strands', group: 'Movement', enabled: () => session.takes.shownProof() !== null && session.filled !== null && state().measuring === null, run: () => trying(session.takes.measureFilled(Math.min(session.document.fill.preview, MEASURED_STRANDS))) },
    ...TROUBLE_NAMES.map((trouble): Action => ({ id: `mend-${trouble}`, name: `Mend: ${TROUBLES[trouble].title.toLowerCase()}`, group: 'Remedies', enabled: () => session.takes.shownProof() !== null, run: () => { useEditor.setState({ stage: 'proof' }); session.mend.choose(trouble, ''); } })),
    ...HEATS.map((heat): Action => ({ id: `heat-${heat}`, name: heat === 'none' ? 'No heat on the hair' : `Heat on the hair: ${MEASURES[heat].label.toLowerCase()}`, group: 'View', enabled: hasGuides, run: () => useEditor.setState({ heat }) })),
    ...CHARTED.map((chart): Action => ({ id: `chart-${chart}`, name: `Chart: ${MEASURES[chart].label.toLowerCase()}`, group: 'Time', enabled: hasGuides, run: () => useEditor.setState({ strip: 'chart', chart }) })),
    { id: 'sway-reset', name: 'Reset all movement settings', group: 'Movement', enabled: always, run: () => state().edit('Reset movement settings', (d) => { d.sway = defaultSway(); }) },
    { id: 'cover-round', name: 'Look all round for skin that shows', group: 'Groom', enabled: () => session.filled !== null, run: () => { useEditor.setState({ stage: 'fill' }); session.cover(ALL_ROUND.map((d) => [...d]), 'round'); } },
    ...TREATMENT_NAMES.map((kind): Action => ({ id: `treatment-${kind}`, name: `Add a treatment: ${TREATMENTS[kind].label.toLowerCase()}`, group: 'Groom', enabled: hasGuides, run: () => { useEditor.setState({ stage: 'fill' }); session.fillDesk.add(kind); } })),
    { id: 'parting', name: 'Draw a parting', group: 'Brushes', enabled: hasGuides, run: () => useEditor.setState({ stage: 'fill', fillTool: 'parting' }) },
    { id: 'freeze', name: 'Freeze all filled strands, or thaw them', group: 'Groom', enabled: () => session.filled !== null, run: () => { if (state().frozen) session.thaw(); else session.freeze(); } },
    { id: 'cards', name: 'Make hair cards', group: 'Hand-over', enabled: () => session.filled !== null && !state().cards.making, run: () => { useEditor.setState({ stage: 'fill' }); session.fillDesk.makeCards(); } },
    { id: 'cards-save', name: 'Save the hair cards', group: 'Hand-over', enabled: () => session.fillDesk.cards !== null && !session.fillDesk.cardsAreOld, run: () => trying(session.fillDesk.saveCards()) },
    ...(Object.keys(RIGS) as Rig[]).map((rig): Action => ({ id: `light-${rig}`, name: `Light: ${RIGS[rig].label.toLowerCase()}`, group: 'View', enabled: always, run: () => useEditor.setState({ light: { ...state().light, rig } }) })),
    { id: 'turntable', name: 'Turntable on or off', group: 'View', enabled: always, run: () => useEditor.setState({ light: { ...state().light, turning: !state().light.turning } }) },
    { id: 'fill-reset', name: 'Reset all filling settings', group: 'Groom', enabled: always, run: () => state().edit('Reset filling settings', (d) => { d.fill = defaultFill(); }) },
    { id: 'bake', name: 'Bake the range', group: 'Hand-over', enabled: hasGuides, run: () => { useEditor.setState({ stage: 'bake' }); trying(session.bakes.bake()); } },
    { id: 'bake-pause', name: 'Pause the bake that runs', group: 'Hand-over', enabled: () => state().bakes.some((b) => b.state === 'running'), run: () => { const b = state().bakes.find((x) => x.state === 'running'); if (b) trying(session.bakes.act(b.id, 'pause')); } },
    { id: 'bake-go-on', name: 'Go on with the bake that is paused', group: 'Hand-over', enabled: () => state().bakes.some((b) => b.state === 'paused'), run: () => { const b = state().bakes.find((x) => x.state === 'paused'); if (b) trying(session.bakes.act(b.id, 'resume')); } },
    { id: 'hand-over', name: 'Write the hand-over of the bake that is shown', group: 'Hand-over', enabled: () => state().bakes.some((b) => b.id === state().bakeId && b.state === 'done'), run: () => { useEditor.setState({ stage: 'bake' }); trying(session.bakes.handOver(state().wish)); } },
    { id: 'groom-file', name: 'Save this groom as a file', group: 'Hand-over', enabled: hasGuides, run: () => session.bakes.saveGroom([state().wish]) },
    ...views.map(([name, label]): Action => ({ id: `view-${name}`, name: `View: ${label}`, group: 'View', enabled: always, run: () => look(name) })),
    { id: 'show-hair', name: 'Show or hide filled hair', group: 'View', keys: 'H', combo: ['h'], enabled: always, run: () => useEditor.setState({ show: { ...state().show, hair: !state().show.hair } }) },
    { id: 'show-guides', name: 'Show or hide guides', group: 'View', keys: 'G', combo: ['g'], enabled: always, run: () => useEditor.setState({ show: { ...state().show, guides: !state().show.guides } }) },
    { id: 'show-pills', name: 'Show or hide colliders', group: 'View', keys: 'P', combo: ['p'], enabled: always, run: () => useEditor.setState({ show: { ...state().show, pills: !state().show.pills } }) },
    { id: 'show-marks', name: 'Show or hide contacts', group: 'View', keys: 'K', combo: ['k'], enabled: always, run: () => useEditor.setState({ show: { ...state().show, marks: !state().show.marks } }) },
    { id: 'show-groomed', name: 'Show or hide the groomed shape beside what moves', group: 'View', keys: 'J', combo: ['j'], enabled: always, run: () => useEditor.setState({ show: { ...state().show, groomed: !state().show.groomed } }) },
    { id: 'follow', name: 'Let the view go along with a character that goes away, or stay', group: 'View', keys: 'Shift V', combo: ['shift+v'], enabled: () => session.goesAway, run: () => session.toggleFollow() },
    { id: 'grain', name: 'Draw the view with each pixel, every second, every fourth (quicker)', group: 'View', enabled: always, run: nextGrain },
    { id: 'theme', name: 'Switch between dark and light', group: 'View', enabled: always, run: () => setTheme(state().theme === 'peat' ? 'linen' : 'peat') },
    { id: 'commands', name: 'Find an action', group: 'Help', keys: 'Ctrl K', combo: ['ctrl+k'], enabled: always, run: () => useEditor.setState({ commandOpen: true }) },
    { id: 'keys', name: 'List of keys', group: 'Help', keys: '?', combo: ['?', 'shift+?'], enabled: always, run: () => useEditor.setState({ keysOpen: true }) },
  ];
}

/** Flies to the deepest strand, if it is beyond its limit; else to what is furthest beyond one; where nothing is, to the deepest or most stretched. */
export function goToWorst(): void {
  const { run, stage, bakeProof, takes, shownTake, limits } = state(), proof = stage === 'bake' ? bakeProof : (takes.find((t) => t.id === shownTake)?.proof ?? run.proof);
  if (!proof) return;
  const deepest = figureOf(proof, 'depth'), stretched = figureOf(proof, 'stretch'), tooDeep = deepest && deepest.value > limitOf('depth', limits) ? deepest : null, at = tooDeep ?? worstList(proof, limits, 1).find((w) => w.value > w.limit) ?? (deepest && deepest.value > 1e-5 ? deepest : stretched);
  if (at) useEditor.setState({ frame: at.frame, marked: at.guide, playing: false, stage: stage === 'sway' || stage === 'bake' ? stage : 'proof' });
}

export const comboOf = (e: KeyboardEvent): string => {
  const key = e.key.toLowerCase();
  return `${e.ctrlKey || e.metaKey ? 'ctrl+' : ''}${e.shiftKey && (key.length > 1 || /[a-z]/.test(key) || key === '?') ? 'shift+' : ''}${key}`;
};
