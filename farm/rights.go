package farm

// What a person may be on a farm. An owner has people, settings and books in hand; a keeper
// does all work with eggs, pens and machines; a helper does what is on today's list and what
// belongs to it; a reader sees the farm and changes nothing.
const (
	OwnerRole  = "owner"
	KeeperRole = "keeper"
	HelperRole = "helper"
	ReaderRole = "reader"
)

// Roles are what a person may be, from the one who may most.
var Roles = []string{OwnerRole, KeeperRole, HelperRole, ReaderRole}

// Right is what an action needs of whoever does it. Each includes those before it.
type Right int

const (
	Reading Right = iota // seeing the farm
	Helping              // today's list: collecting, looking, care, weighing, lockdown, hatch
	Keeping              // setting, pens, machines, promises, the plan
	Owning               // people, the farm's settings and figures, its books as a whole
)

var rights = map[string]Right{OwnerRole: Owning, KeeperRole: Keeping, HelperRole: Helping, ReaderRole: Reading}

// May tells whether the member may do what needs a right.
func (m *Member) May(r Right) bool { return rights[m.Role] >= r }

// Right is the highest that the member has; nil is a stranger's.
func (m *Member) Right() Right {
	if m == nil {
		return Reading
	}
	return rights[m.Role]
}

// Owner tells whether the member may change people, settings and books.
func (m *Member) Owner() bool { return m.May(Owning) }

// Keeper tells whether the member may do all work with eggs, pens and machines.
func (m *Member) Keeper() bool { return m.May(Keeping) }

// Helper tells whether the member may do what is on today's list.
func (m *Member) Helper() bool { return m.May(Helping) }

// RoleSays tells in a sentence what a role may do.
func RoleSays(role string) string {
	switch role {
	case OwnerRole:
		return "everything, people and settings too"
	case KeeperRole:
		return "all work with eggs, pens, machines and the plan"
	case HelperRole:
		return "what is on today’s list: collect, look, turn, water, weigh, lock down, hatch"
	}
	return "sees the farm and changes nothing"
}

// Refuse is what a member is told who may not do what needs a right; nil if he may.
func (m *Member) Refuse(needs Right) error {
	switch {
	case m.May(needs):
		return nil
	case m.Role == ReaderRole:
		return Problemf("", "You see this farm; somebody who works on it can make you a helper.")
	case needs == Owning:
		return Problemf("", "Only an owner of the farm may change this.")
	}
	return Problemf("", "This is for a keeper or an owner. A helper may do %s.", RoleSays(HelperRole))
}
