package farm

// Checks are the sentences of the database's checks.
var Checks = checks

// Checked turns a broken check into its sentence.
var Checked = checked
