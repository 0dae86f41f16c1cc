/** Of this runtime. A generated file is made for one. */
export declare const runtime = 1;
/** Any value, as the wire has it. Seconds and coordinates are numbers, none is null. */
export type Value = null | boolean | number | string | readonly Value[] | {
    readonly [name: string]: Value;
};
/** Where a player is, or was remembered. */
export interface Place {
    readonly scene: string;
    /** One number for each axis of the plan's space. */
    readonly at: readonly number[];
    readonly facing?: string;
    /** Of where a player is: at which of the session's seconds they got there. */
    readonly time?: number;
    /** Of where a player is: how often in this visit they were put somewhere. */
    readonly arrival?: number;
}
/** A movable: who holds it, or where it stands. */
export type Thing = {
    readonly holder: string;
    readonly scene?: undefined;
} | (Place & {
    readonly holder?: undefined;
});
/** A stopwatch: what it reads in seconds, or since which of the session's seconds it runs. */
export type Watch = number | {
    readonly since: number;
};
/** What came of something that was asked for. */
export type Outcome = 
/** It was done. It is on disk when saved(number) says so. */
{
    readonly is: 'applied';
    readonly number: number;
    readonly repeat?: boolean;
}
/** It was not done, and nothing has changed. Kinds are those of the wire (docs/wire.md), and of this runtime: `replaced` of a
 *  move that gave way to a newer one before it was sent, `too-many` where 256 requests wait already. */
 | {
    readonly is: 'refused';
    readonly number: number;
    readonly kind: string;
    readonly why: string;
    readonly key?: string;
    readonly rule?: number;
    readonly line?: number;
    readonly member?: string;
}
/** It may have been done or not: nobody knows any more. */
 | {
    readonly is: 'unknown';
    readonly number: number;
    readonly why: string;
};
/** Something that the player is told. */
export interface Told {
    /** message, milestone, arrived, left and so on: the plan's reference has a table of them. */
    readonly kind: string;
    readonly player?: string;
    /** As the plan has it. Another language goes by the key. */
    readonly text?: string;
    readonly key?: string;
    /** The milestone, checkpoint or movable. */
    readonly id?: string;
    readonly rule?: number;
    readonly scene?: string;
    readonly from?: string;
}
/** What a game ought to know, and seldom needs to do anything about. */
export type Trouble = 
/** What came in is no message, or not of this layout. The whole view was asked for. */
{
    readonly is: 'malformed';
    readonly why: string;
}
/** The service found that this machine believed something else, and sends it the whole view. Please report it. */
 | {
    readonly is: 'differs';
    readonly tick: number;
}
/** Some of what the player was told while the connection was lost is not known any more. */
 | {
    readonly is: 'missed';
}
/** The session was opened anew: what was not saved may be gone. */
 | {
    readonly is: 'rolled-back';
}
/** A message that has no number was refused. */
 | {
    readonly is: 'refused';
    readonly kind: string;
    readonly why: string;
}
/** The session's plan is not the one that this file was made from, and these variables are gone or of another type. */
 | {
    readonly is: 'plan-changed';
    readonly names: readonly string[];
};
/** How the connection is. */
export type State = 
/** No connection was opened yet. */
'closed'
/** The service was asked to let the player in. */
 | 'joining'
/** The player is in the session. */
 | 'in'
/** The connection was lost; open another one after retryIn seconds. */
 | 'lost'
/** The session has another layout: fetch it from m.fetch, and hand it to learned. */
 | 'fetch'
/** There is no coming back without something new; m.end says why. */
 | 'ended';
/** How values of one domain are written in bits. */
export interface Code {
    readonly kind: string;
    readonly optional?: boolean;
    readonly bits: number;
    readonly min?: number;
    readonly step?: number;
    readonly codes?: number;
    readonly options?: readonly string[];
    readonly letters?: string;
    readonly most?: number;
    readonly item?: Code;
}
/** What views hold and how packed frames are laid out (docs/wire.md). */
export interface Layout {
    readonly alluvion_layout: number;
    readonly game: string;
    readonly version: number;
    readonly plan: string;
    readonly ticks: number;
    readonly seats: number;
    readonly kinds: number;
    readonly places: {
        readonly axes: readonly string[];
        readonly step: number;
        readonly scene_bits: number;
        readonly facing_bits: number;
        readonly facings: readonly string[];
        readonly scenes: readonly {
            readonly id: string;
            readonly low: readonly number[];
            readonly bits: readonly number[];
            readonly near?: boolean;
        }[];
    };
    readonly holders: readonly {
        readonly name: string;
        readonly copies: readonly string[];
        readonly copy_bits: number;
        readonly players: boolean;
        readonly fields: readonly {
            readonly name: string;
            readonly part: string;
            readonly form: string;
            readonly code?: Code;
            readonly start: Value;
        }[];
    }[];
}
/** What a generated file hands over. */
export interface Plan {
    readonly runtime: number;
    readonly layout: Layout;
    /** The events that players send. */
    readonly events: readonly string[];
    /** In which scene the props of each kind are. */
    readonly props: {
        readonly [kind: string]: {
            readonly [id: string]: {
                readonly scene: string;
            };
        };
    };
    /** Groups, events and variables that go by another name here than in the plan, as that is a name of the runtime's. */
    readonly names?: {
        readonly [name: string]: string;
    };
}
/** How a machine comes in. */
export interface Joining {
    /** Who plays. */
    player: string;
    /** Which save, from 1; 1 if unsaid. */
    slot?: number;
    /** What the player picks on the way in. */
    picks?: {
        readonly [roster: string]: string;
    };
    /** Where the service asks for tokens. */
    token?: string;
    /** Frames come in bits, which are about a sixth of the text. True if unsaid. */
    packed?: boolean;
    /** Say now and then what this machine believes, so that differences are found. True if unsaid. */
    checks?: boolean;
    /** Nobody plays: what is saved of this player may be removed with all of its kind. */
    simulated?: boolean;
}
/** Whose value has changed. */
export interface Where {
    /** Of a value that players have: whose. */
    readonly player?: string;
    /** Of a value that there is for each scene, prop or option: which. */
    readonly copy?: string;
}
/** A value as canonical JSON (RFC 8785), which is how this language prints numbers and texts; names are in the order of their UTF-16 units. */
export declare function canonical(value: Value): string;
/** SHA-256 of a text's UTF-8, in hexadecimal (FIPS 180-4). */
export declare function sha256(text: string): string;
/** Everything that one player has, of which this machine is told. */
export declare class Player {
    /** Who it is. Of the machine's own player, this is known from the welcome on. */
    readonly id: string;
    constructor(id: string);
}
/** Those who are in the session. */
export interface Players<P> extends Iterable<P> {
    readonly size: number;
    get(id: string): P | undefined;
    has(id: string): boolean;
}
/** What the generated classes are made of: a machine that follows a session by one plan. */
export declare class Machine {
    #private;
    /** How the connection is. */
    state: State;
    /** Where state is ended: the code that the connection ended with, and why. */
    end: {
        readonly code: number;
        readonly why: string;
    } | undefined;
    /** Where state is fetch: where the session's layout is, on the service. */
    fetch: string;
    /** Where state is lost: after how many seconds to try again. */
    retryIn: number;
    /** How many seconds ago the service was last heard, at the last advance. A connection that is quiet for ten is dead: close it. */
    quiet: number;
    /** The newest frame, and its time in the session's seconds. */
    tick: number;
    time: number;
    /** How many frames a second the plan has, at most. */
    ticks: number;
    /** For how many seconds a player who lost the connection keeps their seat. */
    grace: number;
    /** The session's name, once the player is in. */
    session: string;
    readonly plan: Plan;
    constructor(plan: Plan, joining: Joining);
    /** Where to connect: `address('wss://play.example', 'winter')`. */
    address(base: string, session: string): string;
    /** The sub-protocols to offer, the second argument of a WebSocket. */
    get protocols(): string[];
    /** A connection is open; protocol is the one that the service chose. The hello is the first thing that comes out. */
    opened(protocol?: string): void;
    /** What came in over the connection: text, or bytes. */
    received(data: string | ArrayBuffer | Uint8Array, now: number): void;
    /** The connection is lost, or was closed; code is that of the WebSocket's close event. */
    lost(code: number, now: number, reason?: string): void;
    /** The session's layout, as it was fetched from m.fetch. The machine goes on by it where it has all that this file knows. */
    learned(layout: Layout): void;
    /** What there is to send, in order: text, or bytes. Call it after asking and in every frame of the game. */
    outgoing(): (string | Uint8Array)[];
    /** Lets time pass: sends a sign of life after 15 seconds of silence, and asks again for what was not sent. */
    advance(now: number): void;
    /** A new token in place of one that runs out. Where the machine is not connected, it comes in with it. */
    renew(token: string): Promise<Outcome>;
    /** What is known by a name of the plan, such as player.warmth: of a copy where there are several, of a player where they have it
     *  (this machine's own if unsaid). What was never sent is undefined; what nothing ever changed has its start value. */
    value(name: string, copy?: string, player?: string): Value | undefined;
    /** The session's time in seconds, now: it runs on between frames, and never goes back while the machine goes on where it was. */
    now(local: number): number;
    /** Where to draw a player at one of the session's seconds: between the places that they reached around it. Draw others
     *  at m.now(local) - 2 / m.ticks. */
    placeAt(player: string, time: number): Place | undefined;
    /** Everything that this machine believes, by part and address. */
    view(): {
        [part: string]: {
            [address: string]: Value;
        };
    };
    /** The digest of that, as the service checks it. */
    digest(): string;
    /** Calls back with what the player is told, in order. It gives a function that ends this. */
    onTold(call: (t: Told) => void): () => void;
    /** Calls back when something is not as it ought to be. */
    onTrouble(call: (t: Trouble) => void): () => void;
    /** Calls back when the state changes. */
    onState(call: (s: State) => void): () => void;
    /** How many requests wait for an answer. */
    get pending(): number;
    /** Whether everything up to a number is on disk: true when it is, false when that will never be known. */
    saved(number: number): Promise<boolean>;
}
