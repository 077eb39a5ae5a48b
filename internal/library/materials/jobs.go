package materials

// The kinds of jobs that changes of materials ask for.
const (
	JobTreat   = "treat"   // carries out a recipe; its key is the material's id and the key of the finish that it wants
	JobPicture = "picture" // makes the pictures of a material that was accepted
	JobGrade   = "grade"   // weighs findings by the studio's severities
)
