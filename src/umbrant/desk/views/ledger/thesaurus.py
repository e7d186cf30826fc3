"""Words that mean the same, so that each kind need declare only those that it
is for.

A line is a word that some kind is for, as its help declares it, and what
people say for it.
"""

from functools import cache, lru_cache

_LINES = """
accompany: tag along, chaperone, walk with, go with, join, follow along, stay with, guide, tag,
    pursue friend, lackey, trail behind, follow leader, serve
activate: switch, use, turn on, start up, enable, flip, pull lever, toggle switch, ignite, light
add: sum, append, gain points, grow, boost, up by, top up
advance: push forward, press on, gain ground, make headway, move forward, proceed
again: redo, once more, rerun, anew, over and over
aim: point, take aim, target lock, swivel, pivot, line up, train on, sight in
alert: raise hell, forewarn, wake, rouse, put on guard, tip off
alternative: choice, possibility, action score, option
always: nonstop, perpetual, continuous, continuously, permanently, indefinitely, unending
ambush: waylay, lie in wait, trap
announce: dispatch, publish, proclaim, declare, fire event, post, invoke, raise event, send event
approach: near, draw near, come closer, get close, get near, close distance, home in, move near,
    walk up
ask: query, inquire, question, interrogate
attack: assault, engage, hit back, lash out, jab, slay, batter, clobber, smash, smite, cut, chop,
    hack, thrust, kick, headbutt, maul, ram, beat up, murder, assassinate, execute, pound, whack,
    smack, slap, snap, gore, spear, deal damage, finish off, lunge at, take down, fight back,
    gnaw, whip, butcher, duel, brawl, spar, flog, pummel, stomp on, trample, slug, decapitate,
    impale, skewer, zap, electrocute, burn enemy, sword, knife, pistol, gun, weapon, open fire,
    sting someone, scratch, fist, box, wrestle, tackle, grapple, swipe
attempts: try three times, three attempts, several attempts
avoid: shun, steer clear, keep away, stay away, stay clear, dread, give way, keep off, back away,
    ward off
bark: woof, ruff, meow, croak, squawk, caw, honk, neigh, moo, hiss, chirp, quack
bored: restless, listless, boredom
both: concurrent, parallel, alongside, simultaneous, multiple, co-occur, in parallel, jointly,
    multithread, two things, two at once, at once, several at once, multi, do both, run both, all
    together, all at once
brake: slow, decelerate, slow down, come to rest, cease, quit moving, immobile, stand, stationary,
    plant
buy: purchase, pay, acquire, haggle, barter
call for help: backup, reinforcement, sos, mayday, summon, muster, reinforce, call in, request
    backup
carry: pickup, pocket, pick, scoop, snatch, haul off, obtain, get item, take up, harvest,
    retrieve, hoist, pluck, seize, catch, nab, scavenge, hoard, stow, take away, bag, fetch item,
    pick it up, forage, hold item, take item, get weapon, grab item, fetch object, lug, tote,
    cart, salvage
change state: switch state, go to state, next state, jump state, shift
chase: hound, pursuit, run after, run down, catch up, give chase, go after, hunt down, tail after,
    harry, chaser, track down, home
check surroundings: reconnoiter, recon, scout, sweep, search area, case, look both ways, look
    everywhere
choose: pick first, elect, opt, alternate, one after another until, first success, any, or else,
    fall back, alternatives, options in order, if this fails, try each, try these, whichever
    works, decision, decider
circle: harass, skirmish, hover, revolve, circulate, wheel, ring, spiral, loop around, rotate
    around, prowl, go around, run around, hem in, distance keep, keep range, stay at range, mid
    range, maintain distance, keep away, keep apart, stay away at, space, spacing from, stay in
    range, strafing run
clear: wipe, empty, blank, null, none, purge, discard value, void, cancel target, no longer, zero
climb: scale, ascend, mount, clamber, ladder
close in: bear down, corner, narrow
command: tell, instruct, direct, boss, delegate, dictate, bid
condition: predicate, assert, guard, precondition, requirement, criteria, when, only if, require,
    verify, validate, ensure, boolean check, decide if, gate, examine, trigger when, depends,
    evaluate condition, has target, whether, is true, is false, check if, test if, if then, equal,
    equals, greater, less, less than, greater than, comparison, exists, is set, has item, in
    sight, can see, can hear, distance to, check distance, check health, check key, compare
    number, has key, is visible, within range, on ground, has ammo, blackboard condition,
    blackboard check, is alive, is dead, low ammo
consume: ingest, feed, swallow, devour, munch, gulp, sip, use resource, spend, chew, gobble,
    snack, lunch, dine, graze on, slurp, smoke, quaff, inhale, absorb, swig, guzzle, nosh,
    breakfast, dinner, drink potion, potion
counter: tick, accumulate, number of times, score, counting
crouch: squat, kneel, stoop, stealth, lie low, prone
curve: response, mapping, function, utility input, graph
damage: lose health, take damage, deplete, reduce health, injure, hurt self, penalty, weaken,
    debuff, penalize, penalise, nerf, lose stamina, get hurt
deadline: expire, expiration, run out of time, no longer than, maximum duration, cap time, give up
    after, at most seconds, stop after, limit time, cut off, cutoff, time out, too slow, interrupt
    after, max duration, maximum time, no longer, within seconds, limit duration, too long
decrease: deduct, take from number, shrink, down by, minus, reduce, diminish
deliver: hand over, bring to, drop off, set down, unburden, offload, hand in, dump, discard,
    ditch, let fall
desire: want, craving, wish, preference, drive, motive, goal, consideration, considerations,
    utility ai, iaus
detect: awareness, sighting, become aware, eyes, see someone, discover, glimpse, lookout, catch
    sight, eye, observe, find out, witness, sense enemy, senses, scout, sentry, lookout for,
    watchful, vigilant, alertness, see player, player seen, spot player, perception
disappear: remove self, dissolve, fade, poof, evaporate, delete self, leave scene, leave map,
    leave level
do nothing: dwell, stall, noop, no op, nop, null action, hang around, hang out, lounge, relax,
    chill, laze, stand by, standby, bide, remain, kill time, take a break, snooze, slumber, empty,
    breathe, hibernate, waste time, twiddle, twiddle thumbs, malinger, goof off, slack,
    procrastinate
drain: sap, leak, decay, wear off, diminish slowly, run down, dwindle, deplete slowly, trickle,
    erode, burn, fade, wane, subside, get hungry, get tired, grow hungry, grow tired, hunger over
    time
drop: put box down, put it down
else: try in order, first success, pick first success
endless: unlimited, no end, infinitely, while loop, repeat always, evermore, until stopped, never
    stop, never end, never ends, without end, all the time, all day
escape: disengage, scram, bolt, turn tail, get away, fall away, break away, skedaddle, bail, get
    out, beat it, fly away, flight, run scared, take off, back up, repel, leave area, recoil, back
    pedal, fallback
escort: convoy, usher, walk beside, bring along, shepherd, squire
evaluate: prioritize, rank, compare options, argmax, judge, utility, scoring, assess, consider,
    best score, priorities, best action, prioritise, utility system, needs based, need based,
    choose best, highest, max score
event: occurrence, notification
every few seconds: periodic, interval, debounce, spacing, spaced, gap, cadence, at intervals,
    rate, refractory, downtime, wait time between, not more often, lockout, once every, minimum
    interval, spam
exit: on leave, teardown, finally, on exit, when leaving
explore: discover area, rove, wanderlust, search randomly, traverse, prospect
fallback: backup plan, plan b, default, failover, rescue, last resort, otherwise do
fear: afraid of, scared, frightened, terrified, spooked, startled, intimidated, coward, cowardly
finished: complete, on success, concluded, on done, upon completion, on completion
fire: firing, blast, rocket, arrow, bullet, projectile, missile, bomb
flag: tick off, bit, true, false, set true, set false, on, off, enable flag, bool, switch flag
flank: outflank, go behind, go round, sidle
follow: ally, stay behind, walk behind, right behind
force failure: always false, return failure, fail anyway, force false, always fail, failer
force success: always true, return success, success anyway, succeed anyway, force true, never
    fails
forget: clear memory, amnesia, lose, stop caring, unremember, dismiss, let be, nullify, unlearn,
    disregard, clear key, clear value, reset key
freeze: halt motion, statue, stock still, do not move, root, petrify, stun, stunned, stay put,
    immobilize, immobilise
grab: clutch, grasp
gradually: slowly, bit by bit, per second, each second, rate of change, by time, steadily, ramp
greet: hello, hi, welcome, salute, bow, nod, wave hello
halt: cease moving, stop moving, stop walking, stand fast, full stop, abort move
heal: cure, mend self, restore, patch, treat, first aid, medkit, bandage, replenish, regain, buff,
    boost health, power up, gain health, get better
hear: listen, listening, auditory, acoustic, perceive sound, hark, hear noise, heard something,
    hearken, audible, wiretap, noise heard, sound heard, hear player, hear footsteps
hesitate: after, delay start, prior wait, wait first, pause first, stagger, postpone, defer, warm
    up time, lag, think first, windup, wind up, telegraph
hide: camouflage, take shelter, find cover, go to cover, seek cover, get behind, stay hidden, hole
    up, disappear from view, seek shelter, cower, lay low, evade sight, bunker, hideout,
    concealment, hidden, foxhole, stash self, disguise, dig in, dodge bullets, run for cover
idle: unoccupied, resting, idling, waiting, inactive
ignore failure: swallow failure, succeeder, always succeed, does not matter, regardless, anyway,
    no matter
increment: plus one, another one, up one, one more, sum, tally up
infinite: forevermore
interact: handle, manipulate, apply, employ, make use, work on, operate on, do object, tinker,
    fiddle, touch, examine object, hack, harvest crop, dig, plant, water, fix, build, construct,
    wash, clean, sweep floor, play piano, ring doorbell, fish, chop wood, ride, plow, sew, paint,
    fill, load, save, tend, trigger trap, chop tree
investigate: look into, check out, go see, probe, search place, inquire into, go to noise, go to
    sound
kite: shoot and scoot, retreat while attacking
label: tag, string, text, set state name, status
late: delayed, belated
log: debug, output, trace, write line, console, report
look around: swivel head, turn head, look here and there, be alert, keep watch, peer, rubberneck,
    gawk, take in, spy, scout around, patrol eyes, sentry look, glance about, oversee, look for
    clues, look forward
look at: glare, peek at, eye contact, regard, face to, face towards, head turn, turn round, look
    to, spin, veer
loop: for, for loop, recur, repetition, n times, twice, thrice, cyclic, repeatedly, iterations,
    times over, five times, ten times, three times, loop n times, repeat n, repeat times
loud: rumble, thud, boom, crash, knock, rustle, slam, thump, blast sound, ping, beep, sound
    effect, sfx, audio, racket, din, honk horn, creak, rattle, shout loud, holler, horn, siren,
    drum, stomp, snore, whine, clang, chime, clank, bong, tinkle, squeak, buzz, click, pop,
    sputter, cough, sneeze, burp, explosion
luck: coin, gamble, roll, coin flip, flip a coin, roll dice, lottery, likelihood of, chancy,
    stochastic, rng, fate
memoize: latch, hysteresis, debounced result, freeze result, retain, stick
mode: posture, attitude, regime, status mode
mood: temper, disposition, state of mind, be happy, annoyed, excited
motivation: incentive, impetus
nearest: next one, adjacent, target selection, select target, best target, get closest, find
    target, acquire, find food, find enemy, pick target, choose enemy, which one, who is closest,
    find someone, next target, look up, prefer, any enemy, strongest, weakest enemy, lowest
    health, most hurt, shortlist, choose target, select enemy, query targets, aggro target,
    taunted by
negate: flip result, invert result, no, isn't, is not, complement, nand, false if, inverse,
    inverter, non
note where: memorize, bookmark, record position, keep place, write down place, save point,
    checkpoint, waypoint here
nothing known: no memory
notify: tell other, let know, ping other, inform, message other, relay, pass on, hint
once: single, one off, max, only one, single time, do once, at most n, cap, quota, budget, capped,
    up to, ceiling, limited, no more than
one after the other: order, ordered, chain, consecutively, successive, successively, sequential,
    procedure, recipe, step by step, sequentially, first then, next do, queue up, list, all in
    order, pipeline, choreograph, chain of actions, and later, followed by, workflow, perform
operate: crank, steer, wield, run machine, man, pull, twist, insert, unlatch, shut, close, press
    button, button
opposite: flip, reverse, contrary, negation, negative, opposite result, swap result, inverted,
    contradict, flip outcome
optional: best effort, try but, may fail, whatever happens
patrol: guard route, march, sentinel, make rounds, keep guard, walk post, back and forth, pace, to
    and fro, police, walk between, visit all, visit points, cover ground, cruise, shuttle, ronda,
    picket, follow route, follow path, walk path, along path, path following, waypoint, trek,
    march around, circuit walk, scout route, perimeter, beat cop
percent: percentage chance, fifty fifty, half the time, one in ten, part of the time, in some
    cases, seldom, sporadically, at random, if lucky
pick one: random, select random, any one, random child, choose randomly, draw, at random one,
    roulette, toss up, variety, variation, mixed, one at random, unpredictable, arbitrary,
    shuffled
pounce: leap, jump at, spring at, dive at
press: tap, hit button, use button
probability: odds of, p, share
random point: area, find spot, choose place, pick a place, sample, candidate place, point around,
    any place, find position, somewhere near, eqs, position query, spatial query, where to stand,
    good spot, vantage, safe place, choose location, choose position, choose point, find location,
    find a place, pick location, next point, next place
react late: slow reaction
recharge: delay between, between uses, reuse time, cool down, cool off time, not within, once per,
    ready again
recover: regen, recuperate, rejuvenate, bounce back, refresh, restore slowly, catch breath, renew,
    heal slowly, charge up, get well, refill slowly, gain over time, top up slowly, sunbathe, warm
reload: refill gun, load gun
remember: keep, save value, memory, write to memory, write blackboard, set blackboard, put, record
    value, set key, let, update value, define
reuse: behavior call, run tree, run behavior, sub behavior, subbehavior, macro, procedure call,
    delegate to, link, reference, template, prefab, import, inline, child tree, subroutine, invoke
    behavior, gosub
roam: ramble, mosey, dawdle, amble, meander, saunter, prowl around, pace about, walk aimlessly,
    aimless, idle around, wander off, stray, move randomly, random move, random movement, go
    anywhere, mill, walk randomly, putter, pasture, mill about, hang about, hop around, swarm,
    rove about, browse, loaf, forage about, lollygag, dally, wayfare
run: jog, dash, gallop, trot, scurry, scamper, hurry, hasten, race, bound, speed, bolt to, hustle,
    scuttle
run away: abscond, make off, run off, run for it, hightail, cower away, shrink, shrink from,
    repulse, run scared, run from, move away from, leave enemy, run for cover, keep clear, break
    off, break contact, get clear, get out of the way
rush: barge, stampede, storm, press attack, blitz, barrel, charge at, ram into, bumrush, run at
say: utter, mutter, mumble, line, remark, dialog, voice line, voice, bubble, speech bubble,
    subtitle, caption, narrate, state, yap, chat, gossip, converse, babble, beg, plead, scold,
    curse, swear, cheer, boast, mock, insult, congratulate, apologise, apologize, thank, exclaim,
    quip, murmur, grumble, joke, cackle, monologue, scream text, shout text, scream at,
    intimidate, hail, utterance, vo, callout, chant, pray aloud, lament, call, preach, recite,
    whimper, sob, moan, argue, negotiate, trash talk, order aloud, report aloud, roar words
score: weight up, points, priority score, rating, pick highest score, highest score wins
scream: shriek, squeal, yelp, screech, cry out, wail, bellow, clamor
see: look for someone, spot someone, see enemy
shared: common
shelter: refuge, sanctuary, safe spot
signal: beacon, flare, send signal, event out, cue
sleep: go to bed, hit the hay, siesta, shut eye
sometimes: once in a while, from time to time, every so often, part time
spawn: create, instantiate
spot: eyeball
squad: team, gang, pack, platoon, crew, troop, faction, allies, comrades, everyone in, teammates,
    call team, tell friends, call allies, gather group, order squad, regroup, coordinate, tell
    squad, call to arms, war cry, battle cry, assemble, mobilize, sound the charge
stalk: shadow at distance, creep after, sneak around
stand guard: keep post, hold the line, man post
start: on enter, onenter, initialise, initialize, init, on start, at first, when begins
state machine: hfsm, statemachine, state chart, automaton, automata, finite automaton, states and
    transitions, scxml, stateful, state graph, flowchart, mode machine
stay near: keep close, keep near, remain near, stick with, stick by, hang on to, keep up, hug,
    keep pace, stay close
steal: rob, pilfer, pickpocket, filch, swipe
steps: todo list, stages, program, one by one, in sequence, each in turn
stroll: wander around, go for a walk, take a walk, promenade, outing
subtree: sub tree, sub-tree, submodule, run another tree, another tree, run tree
survey: overlook, look out over, panorama
talk: address, discuss, have a word, reply, respond, retort
target: mark target, assign target
taunt: provoke, jeer, challenge, ridicule, goad
throw: pitch, chuck, heave, catapult, flick, bowl, throw at, propel, drop bomb, discharge, volley,
    shot, slingshot
timeout: fail after time, fail after, end after
timer: after seconds, countdown, time passes, after time, clock, alarm clock, in seconds,
    stopwatch, time elapsed
toss: cast away, flip away
track: keep eyes on, stay turned, remain facing, keep turned, eyes on, maintain facing, keep aim,
    keep aiming, stare down
travel: navigate, head, head to, dash to, reposition, locomote, journey, ride to, wend, commute
    to, get to, make for, relocate, transit, move towards, go towards, walk towards, move toward,
    path to, pathfind, pathfinding, steer to, head for, set out, march to, run towards, navigate
    to, warp, teleport, migrate, wander to, drive to, swim to, fly to, crawl to, go there, roll
    to, jump to, come here, come back, head home, head back, go over, move up, reach target, get
    there, locate, zoom, fare, get to place, transport self, walk over, find way, traverse, get
    closer, hurry to, hurry, cross
try again: reattempt, retrying, one more time, keep attempting, do over, insist, on failure
    repeat, repeat if fails, retry on failure, second chance, try until, until success, persevere,
    again on fail, redo if fails, retry on fail, keep going
turn: rotate to, yaw, about face, turn around, spin around, reorient
turn back: backtrack, retrace, retreat to
undo: revert, roll back, restore
unlock: pick lock, open lock
unset: undefined, uninitialise
until: till, up until, as long as, repeat while, do until, do while, stops when
use up: exhaust, expend, use item
vanish: be gone, die off, leave world, leave stage, dead body, expire itself, disintegrate, sink,
    teleport out
varied: different each time, not always the same
wait: await, tarry, delay for, timer wait, hold on, hang on, sit tight, wait for, stay a while,
    wait a bit, cool off, seconds, lull, pausing, time passing, sit, count to ten
wait before: wait then, start late, begin late
wait between: between attacks, wait between attacks
wander: nomad
warn: caution, threaten verbally, admonish
watch: behold, regard closely, gaze at, monitor
weigh: balance, trade off, tradeoff
whistle: whistling, catcall
work: labor, labour, toil, job, task, chore, do job, produce, process, mend, loot chest, search
    crate, rummage, tune, assemble thing, dismantle, sabotage, forge, saw, weld, study, type, lock
    door, close door, shut door, open chest, pull rope, throw switch, milk, pet, feed animal, brew
wound: bruise, cripple, maim, wing
"""


LONGEST_PHRASE = 5
"""How many words the longest phrase has that is looked up."""


@lru_cache(maxsize=4096)
def stem(word: str) -> str:
    """A word without its ending: chasing, chases and chased are one word."""
    if word.endswith("ies") and len(word) > 4:
        word = word.removesuffix("ies") + "y"
    for ending in ("ing", "ed", "es", "s", "e"):
        if word.endswith(ending) and len(word) > len(ending) + 2:
            word = word.removesuffix(ending)
            if word[-2:-1] == word[-1:]:
                return word[:-1]
            return word
    return word


@cache
def words_known() -> dict[str, tuple[str, ...]]:
    """Every word and phrase that stands for others, and the words that it
    stands for.
    """
    found: dict[str, list[str]] = {}
    for line in _LINES.replace("\n    ", " ").strip().splitlines():
        known, _, words = line.partition(": ")
        for word in words.split(","):
            found.setdefault(word.strip(), []).append(known)
    return {word: tuple(known) for word, known in found.items()}


@cache
def _by_stem() -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    for word, known in words_known().items():
        found[stem(word)] = (*found.get(stem(word), ()), *known)
    return found


@lru_cache(maxsize=1024)
def meanings(text: str) -> tuple[str, ...]:
    """The words that a text in small letters stands for as a whole; none if it
    is not known.
    """
    return words_known().get(text) or _by_stem().get(stem(text), ())


@lru_cache(maxsize=1024)
def meanings_within(text: str) -> tuple[str, ...]:
    """The words that parts of a text stand for, those of its longest phrases
    first.
    """
    words = text.split()
    found: dict[str, None] = {}
    for count in range(min(LONGEST_PHRASE, len(words)), 0, -1):
        for start in range(len(words) - count + 1):
            found.update(
                dict.fromkeys(meanings(" ".join(words[start : start + count])))
            )
    return tuple(found)


@lru_cache(maxsize=1024)
def meanings_first(text: str) -> tuple[str, ...]:
    """The words that the beginning of a text stands for, as `head` of `head to
    the door`.
    """
    words = text.split()
    longest = min(LONGEST_PHRASE, len(words))
    found = (
        meanings(" ".join(words[:count])) for count in range(longest, 0, -1)
    )
    return tuple(dict.fromkeys(each for known in found for each in known))


@lru_cache(maxsize=1024)
def meanings_begun(text: str) -> tuple[str, ...]:
    """The words that what begins with a text stands for: it is still being
    typed.
    """
    found: dict[str, None] = {}
    for word, known in words_known().items():
        if word.startswith(text):
            found.update(dict.fromkeys(known))
    return tuple(found)
