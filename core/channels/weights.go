package channels

// This file is the one table of what evidence weighs. A weight of 1 makes an answer e⁸ times as likely (see
// steep); weights add up, those below zero speak against. They were set on made deliveries and on collections of
// others, and are held by the tests of both; each says why it is no larger and no smaller.

// What names and rules say. How plainly a word names its channel, 0..1, stands in the dictionary.
const (
	stated      = 1.5  // what a whole word counts for more than that: a name goes before what pixels hint at, and yields to what they prove
	outright    = 0.5  // from here on a name claims its channel outright: letters and words of several meanings are below
	wholeWord   = 0.75 // from here on the dictionary is not asked again
	trustedWord = 0.7  // from here on a few files do not change what the dictionary says
	ruleWeight  = 1.3  // a rule that somebody made: it yields only to what pixels prove
	seenWeight  = 1.1  // a word's meaning in a station's accepted materials: it yields to what pixels say strongly
	sideSaid    = 0.6  // a direction in a name, which only normals have
	firstLetter = 0.3  // the first letter of a word that no dictionary has
	bareName    = 0.15 // for base colour, of a name without a channel's word that is in colour
)

// What pixels say for a channel.
const (
	unitVectors   = 0.8  // vectors about the axis that faces the viewer: hardly anything else has them
	curvedVectors = 0.75 // the same under a colour curve, which fewer made
	twoVectors    = 0.45 // two components about the middle: packed maps can look so
	nearlyVectors = 0.45 // vectors by their means alone, as washed-out normals
	inColour      = 0.35 // for base colour: emission and coloured speculars are in colour, too
	greyHint      = 0.08 // of one of seven channels, of a grey picture
	greySpecular  = 0.06 // the same of specular, which is rarer in grey
	twoTone       = 0.12 // for metallic, opacity and mask, of black and white alone
	hollows       = 0.10 // for occlusion, of a bright one with dark hollows
	deepSamples   = 0.15 // for height, of 16 bits: normals and scans have them, too
)

// What pixels say against a channel. Where it is more than denies, a picture is not surely that channel.
const (
	denies         = 0.44
	allDirections  = 2    // object-space vectors are no map of a surface
	thirdEmpty     = 0.5  // against colours, of two components alone
	twoNotGrey     = 0.5  // against data of one component, of two that differ
	vectorsNotData = 0.7  // against all but normals, of unit vectors
	nearlyNotData  = 0.3  // the same of what only nearly is
	notVectors     = 0.9  // against normals, of too few unit vectors or of none
	greyBase       = 0.12 // against base colour, of three components without colour: plaster is so
	soleBase       = 0.35 // the same of one component, which few save a colour as
	emptyBase      = 0.2  // against base colour, of empty components
	colourNotData  = 0.45 // against data of one component, of colour
	twoToneNotData = 0.10 // against roughness, height and gloss, of black and white alone
	darkHollows    = 0.15 // against occlusion, of a dark picture
	mostAgainst    = 0.6  // as much as all of them weigh against the channel that a name says outright
)

// What the other pictures of a set say.
const (
	companion    = 0.4  // another channel of the same set
	noBase       = 0.2  // being the base colour that a set lacks
	double       = 1.6  // against being a channel that another file is more surely
	runIn        = 0.75 // against cutting a word that is written as one
	packedHas    = 0.3  // against a channel that a packed map has
	lastOne      = 0.55 // for base colour, of the only name without a word beside sure others
	lastSole     = 0.85 // the same of one component: more than soleBase and what is against grey
	loneBase     = 0.4  // for base colour, of the only picture
	loneSole     = 0.6  // the same of one component
	lettersAgree = 0.3  // for what a letter means first, beside other letters
	lettersOther = 0.15 // for what it means next
	onlyColour   = 0.35 // for base colour, of three grey components beside normals where nothing is in colour
	commonest    = 0.06 // for roughness, of a grey picture that nothing else is said of
	offSlopes    = 0.3  // against height, of a grey picture that does not follow the slopes of normals
	nothing      = 0.12 // all must outweigh this: below it nothing has been said
)

// What a learnt word's pictures say of its meaning, beside what their pixels say one by one.
const (
	mostlyVectors = 0.3  // for normals, if most are vectors: pixels say so too
	mostlyGlows   = 0.45 // for emission: hardly anything else is lit in the dark
	besideBase    = 0.5  // against base colour, of colours beside a base colour: a set has one
	greyBeside    = 0.3  // the same of what is not in colour
	secondColour  = 0.2  // for specular, of colours beside a base colour: the commonest second one
	secondGlow    = 0.1  // for emission: the next
	followsRelief = 0.3  // for height, if most follow the slopes of normals; against it, if they do not
)

// What is against a reading of a name.
const (
	withinOwn   = 1    // the channel's word stands within the material's name
	aloneLetter = 0.6  // a letter as a channel's word, where nothing else is of its set
	aloneTwo    = 0.3  // two words for channels, likewise
	allSay      = 0.5  // all of the set have the word: it is the material's
	allSayWeak  = 0.2  // more, of a weak word
	noWord      = 0.05 // a word that nobody knows taken for a channel's
)

// The most that an answer is sure of, by what it rests on. A librarian looks at what is below 0.9.
const (
	mostOpen    = 0.7  // a word that no dictionary has
	mostLearnt  = 0.85 // a word of few letters, with what its pixels and its company say
	mostLone    = 0.85 // a word that no other map of the set confirms
	mostPixels  = 0.85 // pixels alone, but for normals
	mostNearly  = 0.85 // a colour whose name is another picture's but for its last word
	mostCameras = 0.6  // a name that a camera gave
)
