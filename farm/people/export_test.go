package people

// Known tells whether a device with this cookie is known for an account.
func Known(cookie, secret, email string) bool { return readDevice(cookie).knows([]byte(secret), email) }

// Learnt gives the cookie of a device after a sign-in.
func Learnt(cookie, secret, email string) string {
	d := readDevice(cookie)
	d.learn([]byte(secret), email)
	return d.String()
}
