"""The shared library from Python, by ctypes: reads a device and says what one of its values is.   program.py LIBRARY ADDRESS"""
import ctypes, sys

library = ctypes.CDLL(sys.argv[1])
library.bil_host_trouble.restype = ctypes.c_char_p
library.bil_device_says.restype = ctypes.c_char_p
host, device = ctypes.c_void_p(), ctypes.c_void_p()
text = ctypes.create_string_buffer(200)


def check(error):
    if error:
        sys.exit(library.bil_host_trouble(host).decode())


check(library.bil_host_open(ctypes.byref(host), None))
check(library.bil_device_open(host, sys.argv[2].encode(), ctypes.byref(device)))
check(library.bil_device_read(device, None))
check(library.bil_device_value(device, b"limit.torque", text, ctypes.c_size_t(200)))
print(library.bil_device_says(device, 1).decode(), text.value.decode())
library.bil_host_close(host)
