package tester

// A Pattern is something that the three lamps of a plug tester can show, by the trade's
// name for it. The name says what the lamps look like, not what is wrong: lamps hide much.
type Pattern struct {
	Lamps Lamps  `json:"lamps"`
	Name  string `json:"name"`
}

// Patterns are all eight that three lamps can show, the sound outlet first, then by how
// often they are met (common practice, no source). The first and the five after it are the
// six that makers print; hot and ground reversed is named with the load behind an open
// neutral that looks just like it.
func Patterns() []Pattern {
	p := func(hotNeutral, hotGround, neutralGround Lit, name string) Pattern {
		return Pattern{Lamps{HotNeutral: hotNeutral, HotGround: hotGround, NeutralGround: neutralGround}, name}
	}
	return []Pattern{
		p(IsLit, IsLit, IsDark, "as it should be"),
		p(IsLit, IsDark, IsDark, "open ground"),
		p(IsDark, IsLit, IsDark, "open neutral"),
		p(IsDark, IsDark, IsDark, "open hot, dead"),
		p(IsLit, IsDark, IsLit, "hot and neutral reversed"),
		p(IsDark, IsLit, IsLit, "hot and ground, or a load behind"),
		p(IsLit, IsLit, IsLit, "all three lit"),
		p(IsDark, IsDark, IsLit, "neutral to ground only"),
	}
}
