package nec

var (
	yes, no  = true, false
	finished = &yes
	bare     = &no // unfinished
)

// Rules are the rows, in the order in which they are looked at. Sections and
// figures are from memory; texts are our own.
var Rules = []Rule{
	// Ground-fault protection of 125 V, 15 and 20 A receptacles in dwellings.
	{Topic: GroundFault, Section: "210.8(A)(1)", When: Condition{Rooms: []Room{Bathroom}}, Text: "bathrooms"},
	{Topic: GroundFault, Section: "210.8(A)(2)", When: Condition{Rooms: []Room{Garage, Accessory}}, Text: "garages and accessory buildings"},
	{Topic: GroundFault, Section: "210.8(A)(3)", When: Condition{Outdoors: true}, Text: "outdoors"},
	{Topic: GroundFault, Section: "210.8(A)(4)", When: Condition{Rooms: []Room{Crawl}}, Text: "crawl spaces at or below grade"},
	{Topic: GroundFault, Section: "210.8(A)(5)", To: 2017, When: Condition{Rooms: []Room{Basement}, Finished: bare}, Text: "unfinished parts of basements"},
	{Topic: GroundFault, Section: "210.8(A)(5)", From: 2020, When: Condition{Rooms: []Room{Basement}}, Text: "basements, finished or not"},
	{Topic: GroundFault, Section: "210.8(A)(6)", To: 2020, When: Condition{Rooms: []Room{Kitchen}, Countertop: true}, Text: "kitchens, serving countertops"},
	{Topic: GroundFault, Section: "210.8(A)(6)", From: 2023, When: Condition{Rooms: []Room{Kitchen}}, Text: "kitchens, every receptacle"},
	{Topic: GroundFault, Section: "210.8(A)(7)", To: 2020, When: Condition{SinkFeet: 6}, Text: "within 6\u00a0ft of the edge of a sink"},
	{Topic: GroundFault, Section: "210.8(A)(8)", From: 2023, When: Condition{SinkFeet: 6}, Text: "within 6\u00a0ft of the edge of a sink"},
	{Topic: GroundFault, Section: "210.8(A)(9)", To: 2020, When: Condition{TubFeet: 6}, Text: "within 6\u00a0ft of a tub or shower"},
	{Topic: GroundFault, Section: "210.8(A)(10)", From: 2023, When: Condition{TubFeet: 6}, Text: "within 6\u00a0ft of a tub or shower"},
	{Topic: GroundFault, Section: "210.8(A)(10)", To: 2020, When: Condition{Rooms: []Room{Laundry}}, Text: "laundry areas"},
	{Topic: GroundFault, Section: "210.8(A)(11)", From: 2023, When: Condition{Rooms: []Room{Laundry}}, Text: "laundry areas"},
	{Topic: GroundFault, Section: "210.8(A)(11)", From: 2020, To: 2020, When: Condition{Indoors: true, Exposures: []Exposure{Damp, Wet}}, Text: "indoor damp or wet places"},
	{Topic: GroundFault, Section: "210.8(A)(12)", From: 2023, When: Condition{Indoors: true, Exposures: []Exposure{Damp, Wet}}, Text: "indoor damp or wet places"},

	// Arc-fault protection.
	{Topic: ArcFault, Section: "210.12(A)", To: 2020, When: Condition{Rooms: []Room{Kitchen, Laundry, Bedroom, Living, Hall, Closet}}, Text: "living areas, kitchens, laundry areas, halls and closets"},
	{Topic: ArcFault, Section: "210.12(A)", To: 2020, When: Condition{Rooms: []Room{Basement}, Finished: finished}, Text: "finished basements, as recreation rooms"},
	{Topic: ArcFault, Section: "210.12(B)", From: 2023, When: Condition{Rooms: []Room{Kitchen, Laundry, Bedroom, Living, Hall, Closet}}, Text: "living areas, kitchens, laundry areas, halls and closets"},
	{Topic: ArcFault, Section: "210.12(B)", From: 2023, When: Condition{Rooms: []Room{Basement}, Finished: finished}, Text: "finished basements, as recreation rooms"},

	{Topic: TamperResistant, Section: "406.12(1)", To: 2017, When: Condition{Rooms: []Room{Bathroom, Kitchen, Garage, Accessory, Outdoors, Basement, Laundry, Bedroom, Living, Hall, Workshop, Closet, OtherRoom}}, Text: "dwellings, wherever receptacles are called for"},
	{Topic: TamperResistant, Section: "406.12(1)", From: 2020, Text: "dwellings, with their garages and accessory buildings"},

	{Topic: WeatherResistant, Section: "406.9(A)", When: Condition{Exposures: []Exposure{Damp}}, Text: "damp places: a device listed as weather-resistant"},
	{Topic: WeatherResistant, Section: "406.9(B)", When: Condition{Exposures: []Exposure{Wet}}, Text: "wet places: a device listed as weather-resistant"},
	{Topic: WeatherResistant, Section: "406.9(A)", When: Condition{Outdoors: true}, Text: "outdoors, at least damp: a device listed as weather-resistant"},

	{Topic: Cover, Section: "406.9(B)(1)", When: Condition{Exposures: []Exposure{Wet}}, Text: "wet places: an in-use cover, weatherproof with the plug in, listed for extra duty"},
	{Topic: Cover, Section: "406.9(A)", When: Condition{Exposures: []Exposure{Damp}}, Text: "damp places: a cover that closes over the outlet when nothing is plugged in"},
	{Topic: Cover, Section: "406.9(A)", When: Condition{Outdoors: true}, Text: "outdoors, at least damp: a cover that closes over the outlet when nothing is plugged in"},

	{Topic: TubZone, Section: "406.9(C)", To: 2017, When: Condition{OverTub: true}, Text: "no receptacle within or directly over a tub or shower space"},
	{Topic: TubZone, Section: "406.9(C)", From: 2020, When: Condition{TubFeet: 3}, Text: "no receptacle in the zone of 3\u00a0ft from the rim of a tub or shower, up to 8\u00a0ft above it"},

	// Circuits of their own, when they are laid. An outlet that is replaced does not bring them up to date.
	{Topic: Dedicated, Section: "210.11(C)(1)", When: Condition{Rooms: []Room{Kitchen}, Countertop: true}, Text: "kitchen countertops: two or more 20 A circuits for small appliances"},
	{Topic: Dedicated, Section: "210.11(C)(2)", When: Condition{Rooms: []Room{Laundry}}, Text: "laundry receptacles: a 20 A circuit of their own"},
	{Topic: Dedicated, Section: "210.11(C)(3)", When: Condition{Rooms: []Room{Bathroom}}, Text: "bathroom receptacles: a 20 A circuit of their own"},
	{Topic: Dedicated, Section: "210.11(C)(4)", When: Condition{Rooms: []Room{Garage}}, Text: "garage receptacles: a 20 A circuit of their own"},

	// Wherever the work is.
	{Topic: Rating, Section: "210.21(B)", Text: "15 A receptacles on 15 A circuits; 15 or 20 A on 20 A circuits with two or more receptacles, a duplex being two; a single one alone not below its circuit"},
	{Topic: ConductorBreaker, Section: "240.4(D)", Text: "18 AWG copper on 7 A at most, 16 AWG on 10 A, 14 AWG on 15 A, 12 AWG on 20 A, 10 AWG on 30 A; aluminium 12 AWG on 15 A, 10 AWG on 25 A"},
	{Topic: ReplaceGFCI, Section: "406.4(D)(3)", Text: "replacing one where ground-fault protection is now required means providing it"},
	{Topic: ReplaceAFCI, Section: "406.4(D)(4)", Text: "replacing one where arc-fault protection is now required means providing it"},
	{Topic: TwoSlot, Section: "406.4(D)(2)(a)", Text: "where there is no ground, another two-slot receptacle"},
	{Topic: MarkedGFCI, Section: "406.4(D)(2)(b)", Text: `where there is no ground, a GFCI receptacle marked "No Equipment Ground", and no ground wire carried on from it`},
	{Topic: FedFromGFCI, Section: "406.4(D)(2)(c)", Text: `where there is no ground, a three-slot receptacle fed from a GFCI, marked "GFCI Protected" and "No Equipment Ground", and no ground wire carried between them`},
	{Topic: BringGround, Section: "250.130(C)", Text: "a separate ground wire from the outlet to the panel's ground bar, the electrode system, or the ground of another circuit of the same panel"},
	{Topic: NewCable, Section: "406.4(D)(1)", Text: "a three-slot receptacle on a ground that is really there"},
	{Topic: NeedsGround, Section: "250.114(3)", Text: "cord-connected refrigerators, freezers, air conditioners, washers, dishwashers, waste disposers, sump pumps, aquarium equipment and motor-operated tools are to be grounded, or double insulated"},
	{Topic: BoxFill, Section: "314.16(B)", Text: "the box is large enough for its conductors, clamps, devices and grounds"},
	{Topic: GroundFill, Section: "314.16(B)(5)", To: 2017, Text: "all ground wires together count as one, the largest"},
	{Topic: GroundFill, Section: "314.16(B)(5)", From: 2020, Text: "up to four ground wires count as one, the largest, and each beyond four a quarter more"},
	{Topic: FreeConductor, Section: "300.14", Text: "at least 6\u00a0in of free conductor from the sheath, and 3\u00a0in past the face of the box"},
	{Topic: Setback, Section: "314.20", Text: "the box not more than 1/4\u00a0in behind a wall that does not burn, and flush in one that does"},
	{Topic: Gap, Section: "314.21", Text: "no gap over 1/8\u00a0in round the box in plaster, drywall or plasterboard"},
	{Topic: BoxBond, Section: "250.148(C)", Text: "a metal box joined to the ground wires by a ground screw or listed device"},
	{Topic: GroundJoint, Section: "250.148", Text: "ground wires joined so that taking a device out breaks no ground"},
	{Topic: DeviceBond, Section: "250.146", Text: "the device's ground joined to a grounded box by a jumper, or by listed yoke contacts"},
	{Topic: SharedNeutral, Section: "300.13(B)", Text: "a shared neutral does not depend on a device"},
	{Topic: Disconnect, Section: "210.4(B)", Text: "the hots of a shared neutral are disconnected together"},
	{Topic: Directory, Section: "408.4(A)", Text: "every circuit named at the panel by what it serves"},
	{Topic: OneWire, Section: "110.14(A)", Text: "one wire to a terminal unless it is marked for more"},
	{Topic: Torque, Section: "110.14(D)", Text: "terminals tightened to the maker's torque with a torque tool"},
	{Topic: Reidentify, Section: "200.7(C)", Text: "a white wire used as a hot is re-marked wherever it can be seen"},
	{Topic: Polarity, Section: "200.11", Text: "no neutral on a terminal that reverses the polarity"},
	{Topic: Accessible, Section: "210.8", Text: "a GFCI is readily accessible"},
	{Topic: BoxSupport, Section: "314.23", Text: "boxes are rigidly fastened"},
	{Topic: GroundPath, Section: "250.118", Text: "metal conduit and listed armour are a ground; old armour without a bonding strip and plain interlocked armour are not"},
	{Topic: Aluminum, Section: "110.14", Text: "aluminium only on devices and connectors listed for it"},
	{Topic: NoBootleg, Section: "250.142(B)", Text: "no neutral joined to ground on the load side of the service"},
	{Topic: TwoOnYoke, Section: "210.7", Text: "where two circuits feed one yoke, both are disconnected together"},
	{Topic: GroundColour, Section: "250.119", Text: "a ground wire is bare, green, or green with yellow, and no other wire is"},
	{Topic: NeutralColour, Section: "200.6(A)", Text: "a neutral up to 6 AWG is white or gray along its whole length"},
	{Topic: Splicing, Section: "110.14(B)", Text: "wires of different metals are joined only in a connector listed for both"},
	{Topic: GroundingType, Section: "406.4(D)(1)", Text: "where a ground is there, a grounding receptacle takes the place of the old one"},
	{Topic: Flooded, Section: "110.11", Text: "nothing stays that was damaged by water or what was in it; molded-case breakers, ground-fault devices and nonmetallic-sheathed cable that were under water are replaced"},
	{Topic: Yoke, Section: "314.16(B)(4)", Text: "each yoke counts two conductors of the largest that lands on it; a device wider than 2\u00a0in, two for each gang it needs"},
	{Topic: Damaged, Section: "110.12(B)", Text: "no damaged parts that bear on safe operation or mechanical strength"},

	// A new run.
	{Topic: OwnCircuit, Section: "210.23", Text: "a circuit of its own is allowed for one appliance, and keeps what must not go off from what trips; where the maker's instructions ask for one, 110.3(B) does too"},
	{Topic: BranchLoad, Section: "210.20(A), 210.23", Text: "a breaker not below the load and a quarter of what runs for three hours or more; one thing that is plugged in takes at most 80 % of the circuit, what is fastened in place half of one that serves others"},
	{Topic: Ampacity, Section: "310.15, 334.80", Text: "ampacity by table 310.16, corrected for heat and for wires that lie together; nonmetallic-sheathed cable not above its 60 °C column"},
	{Topic: VoltageDrop, Section: "210.19(A), informational note", Text: "not a rule: 3 % on the branch circuit, 5 % with the feeder, give reasonable operation"},
	{Topic: ExtendAFCI, Section: "210.12(D)", To: 2020, Text: "branch-circuit wiring that is changed or extended in the rooms named gets arc-fault protection, but for up to 6 ft without an outlet"},
	{Topic: ExtendAFCI, Section: "210.12(E)", From: 2023, Text: "branch-circuit wiring that is changed or extended in the rooms named gets arc-fault protection, but for up to 6 ft without an outlet"},
	{Topic: BoredHoles, Section: "300.4(A), (D)", Text: "bored holes and cables along framing at least 1 1/4 in from the nearest edge, or a steel plate of 1/16 in"},
	{Topic: CableSupport, Section: "334.30", Text: "nonmetallic-sheathed cable fastened within 12 in of every box and every 4 1/2 ft; through bored holes it is supported; fished in a finished wall it need not be"},
	{Topic: UFSupport, Section: "340.10(4), 334.30", Text: "underground feeder cable used indoors is fastened like nonmetallic-sheathed cable"},
	{Topic: SmallBoxCable, Section: "314.17(C)", To: 2020, Text: "into a single nonmetallic box without clamps, 1/4 in of sheath inside and the cable fastened within 8 in"},
	{Topic: SmallBoxCable, Section: "314.17(B)(2)", From: 2023, Text: "into a single nonmetallic box without clamps, 1/4 in of sheath inside and the cable fastened within 8 in"},
	{Topic: AcrossJoists, Section: "334.15(C)", Text: "in unfinished basements and crawl spaces, cable thinner than two 6 AWG or three 8 AWG goes through bored holes or on running boards, not across the bottoms of the joists"},
	{Topic: InAttic, Section: "334.23, 320.23", Text: "in an attic across joists, guard strips as high as the cable: everywhere where there are stairs, within 6 ft of the hatch where there are none"},
	{Topic: NotForCable, Section: "334.12(B)", Text: "no nonmetallic-sheathed cable in damp or wet places, in masonry, or in raceways outdoors"},
	{Topic: EMTSupport, Section: "358.30", Text: "electrical metallic tubing fastened within 3 ft of every box and every 10 ft"},
	{Topic: PVCSupport, Section: "352.30", Text: "rigid PVC conduit up to 1 in fastened within 3 ft of every box and every 3 ft; 1 1/4 in every 5 ft"},
	{Topic: ConduitFill, Section: "chapter 9, tables 1, 4, 5", Text: "one wire or cable fills at most 53 % of a conduit, two 31 %, three and more 40 %; a flat cable counts as a circle of its wider side"},
	{Topic: ConduitBends, Section: "358.26, 352.26", Text: "not more than four quarter bends, 360 degrees together, between two points at which wire is pulled"},
	{Topic: WetRaceway, Section: "300.9", Text: "the inside of a raceway in a wet place above ground is a wet place: wires and cables listed for it"},
	{Topic: EMTAsGround, Section: "250.118", Text: "metallic tubing is a ground of its own where every joint is made up tight; a ground wire in it is what most want besides"},
	{Topic: FireSeal, Section: "300.21", Text: "openings round cables through fire-rated walls, floors and plates are closed with a listed sealant"},
	{Topic: BreakerListed, Section: "110.3(B), 408.36", Text: "only a breaker that the panel's label lists, in a space that it lists for it"},
	{Topic: PanelSpace, Section: "408.54", Text: "not more breakers in a panel than it is made for"},
	{Topic: ServiceLoad, Section: "220.83, 220.87", Text: "the service carries the new load too, by a sum of what is there or by what it drew at most"},
	{Topic: AccessibleBox, Section: "314.29", Text: "every box with wiring in it stays accessible"},
	{Topic: NeutralOfGFCI, Section: "110.3(B)", Text: "the neutral of an arc-fault or ground-fault breaker's circuit goes to that breaker and to no other, and is joined to none"},
	{Topic: WorkingSpace, Section: "110.26, 240.24", Text: "30 in wide and 36 in deep are free before the panel, which is not in a bathroom or a clothes closet"},
	{Topic: UnusedCable, Section: "314.29, 110.12", Text: "a cable that serves nothing more is taken out, or parted from power at both ends, its ends closed in boxes that stay accessible"},
	{Topic: MixedKinds, Section: "210.11(C), 210.52(B)", Text: "the circuits of kitchen countertops, laundry, bathroom and garage receptacles serve no other outlets"},
}
