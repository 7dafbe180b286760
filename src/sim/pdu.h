/* A request of the Modbus Application Protocol 1.1b3 without its frame, and the simulated unit's answer. */
#ifndef BIL_SIM_PDU_H
#define BIL_SIM_PDU_H

#include "unit.h"

enum { SIM_PDU = 253 };

/* A request to the unit number `number` (0: whoever is there). `reply` takes SIM_PDU bytes. Returns the bytes of the
 * answer, 0 when the unit says nothing at all. */
size_t sim_answer(sim_unit *unit, uint8_t number, uint64_t now, const uint8_t *request, size_t size, uint8_t *reply);

/* The checksum of a serial frame (Modbus over Serial Line 1.02, 6.2.2), low byte sent first. */
uint16_t sim_crc(const uint8_t *bytes, size_t count);

#endif
