package machines
