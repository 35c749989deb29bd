/* COM port control over telnet: the numbers of RFC 2217, sections 2 and 3. */
#ifndef WRY_RFC2217_COM_PORT_H
#define WRY_RFC2217_COM_PORT_H

#define COM_PORT_OPTION 44

/* Client to server; the server's answer is the same + COM_PORT_REPLY. */
enum com_port_command {
    COM_PORT_SIGNATURE = 0,
    COM_PORT_SET_BAUDRATE = 1,
    COM_PORT_SET_DATASIZE = 2,
    COM_PORT_SET_PARITY = 3,
    COM_PORT_SET_STOPSIZE = 4,
    COM_PORT_SET_CONTROL = 5,
    COM_PORT_NOTIFY_LINESTATE = 6,
    COM_PORT_NOTIFY_MODEMSTATE = 7,
    COM_PORT_FLOWCONTROL_SUSPEND = 8,
    COM_PORT_FLOWCONTROL_RESUME = 9,
    COM_PORT_SET_LINESTATE_MASK = 10,
    COM_PORT_SET_MODEMSTATE_MASK = 11,
    COM_PORT_PURGE_DATA = 12,
    COM_PORT_REPLY = 100,
};

/* Values of SET-CONTROL. */
enum com_port_control {
    COM_PORT_NO_FLOW = 1,
    COM_PORT_BREAK_ON = 5,
    COM_PORT_BREAK_OFF = 6,
    COM_PORT_ASK_DTR = 7,
    COM_PORT_DTR_ON = 8,
    COM_PORT_DTR_OFF = 9,
    COM_PORT_ASK_RTS = 10,
    COM_PORT_RTS_ON = 11,
    COM_PORT_RTS_OFF = 12,
};

enum com_port_setting {
    COM_PORT_EIGHT_BITS = 8,
    COM_PORT_NO_PARITY = 1,
    COM_PORT_ONE_STOP = 1,
    COM_PORT_PURGE_RECEIVE = 1, /* what the server has received and not yet sent on */
};

#endif
