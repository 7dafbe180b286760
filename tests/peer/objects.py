"""A server that has a device identification, on the port named: a peer of the test that was written by others."""
import logging, sys

from pymodbus.datastore import ModbusServerContext, ModbusSlaveContext
from pymodbus.device import ModbusDeviceIdentification
from pymodbus.server import StartTcpServer

logging.disable(logging.CRITICAL)
identity = ModbusDeviceIdentification(info={
    0x00: "Esempio", 0x01: "OE-9", 0x02: "1.4", 0x03: "https://example.org/oe-9", 0x04: "Olive washer", 0x05: "OE-9/B",
    0x06: "washer", 0x80: "S-7701", 0x81: "x" * 120, 0x82: "y" * 120, 0x83: "behind the others"})
StartTcpServer(context=ModbusServerContext(slaves=ModbusSlaveContext(), single=True), identity=identity,
               address=("127.0.0.1", int(sys.argv[1])))
